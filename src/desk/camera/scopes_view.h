// Luminance, colours and their spread in the Camera view's picture, drawn on paper. Interface thread.
#pragma once

#include "desk/camera/scopes.h"

#include <QTimer>
#include <QWidget>
#include <optional>

namespace stage::desk {

class CameraPicture;

/// The waveform of luma, those of the three colours beside each other, the histogram, and colour differences
/// in a circle. A click shows one of them alone, another all of them again.
class ScopesView : public QWidget {
    Q_OBJECT
public:
    explicit ScopesView(const CameraPicture& picture, QWidget* parent = nullptr);
    /// Of the picture that is shown.
    const Scopes& scopes();

protected:
    void paintEvent(QPaintEvent*) override;
    void mousePressEvent(QMouseEvent* event) override;

private:
    enum Kind { Waveform, Parade, Histogram, Vectors };
    static constexpr int kinds = 4;
    QRect placeOf(Kind kind) const;
    void drawLevels(QPainter& painter, const QRect& place) const;
    void drawWaveform(QPainter& painter, const QRect& place, Scopes::Value value, const QColor& ink) const;
    void drawHistogram(QPainter& painter, const QRect& place) const;
    void drawVectors(QPainter& painter, const QRect& place) const;

    const CameraPicture& m_picture;
    Scopes m_scopes;
    qint64 m_counted = 0; ///< the picture that they are of
    std::optional<Kind> m_alone;
    QTimer m_soon; ///< pieces of a picture come faster than is worth showing
};

}
