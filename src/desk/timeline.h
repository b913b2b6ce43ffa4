// Time: the playhead, the camera's marks, and the layers.
#pragma once

#include "desk/session.h"

#include <QElapsedTimer>
#include <QTimer>
#include <QWidget>

class QLineEdit;
class QToolButton;

namespace stage::desk {

class Timeline : public QWidget {
    Q_OBJECT
public:
    explicit Timeline(Session& session, QWidget* parent = nullptr);
    QSize sizeHint() const override { return {1000, 212}; }

    bool playing() const { return m_clock.isActive(); }
    void setPlaying(bool playing);
    double xOfFrame(double frame) const;
    QRectF rowRect(int row) const; ///< 0 is the camera's, then the layers, topmost first

Q_SIGNALS:
    void playingChanged(bool playing);

protected:
    void paintEvent(QPaintEvent*) override;
    void resizeEvent(QResizeEvent*) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void wheelEvent(QWheelEvent* event) override;

private:
    std::int64_t frameOfX(double x) const;
    int markAt(const QPointF& place) const;
    void choosePace(int move, const QPoint& where);
    void readTime();
    void layOut();

    Session& m_session;
    QTimer m_clock;
    QElapsedTimer m_since;
    std::int64_t m_startFrame = 0;
    std::vector<scene::LayerPtr> m_rows;
    double m_scroll = 0;
    enum class Drag { None, Playhead, Mark } m_drag = Drag::None;
    int m_dragMark = -1;
    Rational m_markFrom;
    QToolButton *m_play, *m_toStart, *m_toEnd;
    QLineEdit* m_time;
};

}
