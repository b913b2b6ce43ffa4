// Properties over time, as curves on paper: their keys, how the value runs between them, links and noise.
// Shows the one selected layer, or the camera.
#pragma once

#include "desk/session/session.h"

#include <QWidget>
#include <map>

class QListWidget;

namespace stage::desk {

class CurvePaper;

class CurveView : public QWidget {
    Q_OBJECT
public:
    explicit CurveView(Session& session, QWidget* parent = nullptr);
    QSize sizeHint() const override { return {320, 300}; }

    std::int64_t subject() const; ///< the layer shown; 0: the camera
    /// The property that is edited: what a double click keys, what links and noise are put on.
    std::string property() const;
    void setProperty(const std::string& property);
    /// Those whose curves are shown: what is chosen in the list, or all that have a track.
    std::vector<std::string> shown() const;
    void keyHere(); ///< a key of the property at the playhead
    void fitAll();
    CurvePaper& paper() { return *m_paper; }

Q_SIGNALS:
    void keyMenuAsked(const QPoint& global);
    void titleChanged(const QString& note);

private:
    void fill();
    Session& m_session;
    QListWidget* m_list;
    CurvePaper* m_paper;
    std::int64_t m_filled = -1;
    std::map<bool, std::string> m_last; ///< the property edited, of layers and of the camera
    bool m_filling = false;
};

}
