// The set freely turned: its layers as the renderer draws them, with their edges, the camera, what it sees,
// its path and the ground. The selected layer is pushed and slid by arrows.
#pragma once

#include "desk/camera/camera_handle_drag.h"
#include "desk/jobs/view_renderer.h"
#include "desk/session/session.h"
#include "interaction/box_handles.h"
#include "interaction/orbit_view.h"

#include <QWidget>

namespace stage::desk {

class ModelView : public QWidget {
    Q_OBJECT
public:
    explicit ModelView(Session& session, QWidget* parent = nullptr);
    QSize sizeHint() const override { return {320, 300}; }

    void fitAll();
    void fitSelection();
    /// A standard side to look from.
    enum class Look { Free, Front, Side, Above };
    void lookFrom(Look look);

    /// Where a point of the world is in the widget; nothing when it is behind.
    std::optional<QPointF> placeOf(const V3d& point) const;
    /// The ends of the selected layer's arrows: across, up, in depth. Empty without a selection.
    std::vector<QPointF> arrowEnds() const;
    /// The handles of the camera that are seen, with those at the corners of what is sharp.
    std::vector<CameraHandle> cameraHandlesSeen() const;
    bool hasPicture() const { return !m_picture.isNull(); }

Q_SIGNALS:
    void menuAsked(const QPoint& global);

protected:
    void paintEvent(QPaintEvent*) override;
    void resizeEvent(QResizeEvent*) override;
    void showEvent(QShowEvent*) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void mouseDoubleClickEvent(QMouseEvent* event) override;
    void wheelEvent(QWheelEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;
    void contextMenuEvent(QContextMenuEvent* event) override;

private:
    V2i pixels() const; ///< of the widget
    optics::View view() const;
    void ask();
    void turned();
    void frameAll();
    void line(QPainter& painter, const V3d& a, const V3d& b) const;
    void drawGround(QPainter& painter) const;
    void drawCards(QPainter& painter) const;
    void drawCamera(QPainter& painter) const;
    void drawPath(QPainter& painter) const;
    void drawSight(QPainter& painter, const optics::View& lens) const;
    void drawBody(QPainter& painter, const optics::View& lens) const;
    void drawCameraHandles(QPainter& painter) const;
    void drawArrows(QPainter& painter) const;
    std::int64_t layerAt(const QPointF& place) const;
    std::vector<V3d> arrows() const; ///< unit vectors
    V3d grip() const;                ///< where the arrows begin
    double arrowLength() const;
    std::optional<CameraHandle> handleAt(const QPointF& place) const;
    void dragCamera(const QPointF& place, Qt::KeyboardModifiers keys);

    Session& m_session;
    ViewRenderer m_request;
    QImage m_picture;
    interaction::OrbitView m_orbit;
    bool m_own = false;

    std::vector<interaction::BoxSide> sides() const;
    void dragSide(const QPointF& place);

    enum class Drag { None, Turn, Shift, Arrow, Side, Camera } m_drag = Drag::None;
    std::optional<interaction::BoxSide> m_side; ///< as it was when it was taken
    QPointF m_gripOff;                          ///< of it from the pointer
    std::optional<CameraHandleDrag> m_camera;
    int m_arrow = -1;
    bool m_moved = false;
    QPointF m_pressed, m_last;
    V3d m_gripFrom{0.0};
    double m_lengthFrom = 1, m_depthFrom = 0;
    QString m_say;
};

}
