// The marks as pictures, in the order in which the camera passes them.
#pragma once

#include "desk/jobs/view_renderer.h"
#include "desk/session/session.h"

#include <QTimer>
#include <QWidget>

namespace stage::desk {

class MarksStrip : public QWidget {
    Q_OBJECT
public:
    explicit MarksStrip(Session& session, QWidget* parent = nullptr);
    QSize sizeHint() const override { return {600, 76}; }
    QRectF cardRect(int mark) const;

    void rename(int mark); ///< asks for its name

Q_SIGNALS:
    void menuAsked(const QPoint& global, int mark);

protected:
    void paintEvent(QPaintEvent*) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseDoubleClickEvent(QMouseEvent* event) override;
    void contextMenuEvent(QContextMenuEvent* event) override;
    void wheelEvent(QWheelEvent* event) override;

private:
    int markAt(const QPointF& place) const;
    void next();
    Session& m_session;
    ViewRenderer m_request;
    QTimer m_settled;
    std::vector<QImage> m_pictures;
    std::size_t m_wanted = 0;
    qint64 m_generation = 0;
    double m_scroll = 0;
};

}
