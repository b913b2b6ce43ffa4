// The colours of what is selected, or of the whole picture, in the details.
#pragma once

#include "desk/details/part.h"

#include <array>

class QPushButton;
class QComboBox;

namespace stage::desk {

class PointCurve;

/// Of the layer or group that is selected, or (whole) of the picture while
/// nothing is selected.
class GradePart : public Part {
    Q_OBJECT
public:
    GradePart(Session& session, bool whole);

protected:
    bool applies() const override;

private:
    const scene::Grade& grade() const;
    void change(const scene::Json& members, bool settled = true);
    void number(const QString& name, const NumberStyle& style, const QString& tip, const char* member,
                double scene::Grade::*value, double low, double high);
    void three(const QString& name, const QString& tip, double step, const char* member,
               V3d scene::Grade::*value, double low, double high);
    void addCurves();
    void addLook();
    void chooseLook();
    void fillParts();

    bool m_whole;
    QComboBox* m_colours = nullptr;           ///< of which the curve is
    QComboBox* m_part = nullptr;              ///< of the look's file
    QString m_partsOf = QStringLiteral("\n"); ///< the file whose parts are listed: none yet
};

/// Grades of what stands between two depths, while nothing is selected.
class DepthGradePart : public Part {
    Q_OBJECT
public:
    explicit DepthGradePart(Session& session);

protected:
    bool applies() const override { return m_session.selection.layers().empty(); }

private:
    const scene::DepthGrade* chosen() const; ///< null: a new one
    void change(const std::function<void(scene::DepthGrade&)>& how);
    void set(const std::vector<scene::DepthGrade>& grades);

    QComboBox* m_which;
};

}
