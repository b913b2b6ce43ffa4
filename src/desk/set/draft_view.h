// The set on drafting paper: from above (Plan) or from the side (Section), with the camera, its sight lines,
// its path, and what it sees sharply. Layers are pushed in depth here, and marks are moved.
#pragma once

#include "desk/camera/camera_handle_drag.h"
#include "desk/kit/kept_picture.h"
#include "desk/session/findings.h"
#include "desk/session/session.h"
#include "interaction/box_handles.h"
#include "interaction/paper_scale.h"
#include "optics/placing.h"

#include <QPolygonF>
#include <QWidget>

namespace stage::desk {

class DraftView : public QWidget {
    Q_OBJECT
public:
    enum class From { Above, Side };
    DraftView(Session& session, From from, QWidget* parent = nullptr);
    QSize sizeHint() const override { return {320, 300}; }

    // Interface thread, as all of this.
    /// What of a layer is missing for the frame to be filled is hatched. Must stay.
    void setFindings(const Findings* findings);
    void fitAll();
    void fitSelection();
    /// A true scale, or what is far folded.
    void setFolded(bool folded);
    bool folded() const { return m_scale.folded(); }

    // Where things are in the widget, for the ladder and for tests.
    const interaction::PaperScale& scale() const { return m_scale; }
    QPointF placeOf(const V3d& point) const;
    QPointF placeOfDepth(double depth) const; ///< on the axis
    QPointF barMiddle(std::int64_t layer) const;
    /// Where a handle of the camera is; nothing when there is none.
    std::optional<QPointF> placeOf(CameraHandle::Kind kind, int mark = -1) const;

    /// Layers being pushed by someone else's hand (the ladder) go to a depth; snaps as this does.
    void pushTo(double depth, double from, std::int64_t grabbed, bool snap);
    void endPush();

Q_SIGNALS:
    void scaleChanged();
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
    bool event(QEvent* event) override;

private:
    struct Bar {
        std::int64_t id;
        scene::LayerPtr layer;
        QPolygonF line;    ///< its middle
        QPolygonF outline; ///< all of it
        QPolygonF box;     ///< around the box that it fills, or a lamp's reach; empty: neither
        bool visible, locked;
    };
    /// How a bar is drawn.
    struct BarLook {
        QPolygonF line, outline;
        QColor colour;
        bool visible, chosen;
        bool operator==(const BarLook&) const = default;
    };
    /// A triangle of the eye and the ends of both sight lines, px.
    using Sight = std::array<QPointF, 3>;
    /// How what is around a bar is drawn.
    struct BoxLook {
        QPolygonF outline;
        bool chosen;
        bool operator==(const BoxLook&) const = default;
    };
    /// What a picture of the paper is drawn from.
    struct Paper {
        interaction::PaperScale scale;
        V3d eye{0}, forward{0}; ///< of the first mark
        double ground = 0;
        std::vector<Sight> sweep;
        bool operator==(const Paper&) const = default;
    };
    interaction::PaperPoint draft(const V3d& point) const;
    void refresh();
    void refit();
    double snapped(double depth, std::int64_t grabbed) const;
    void layOut();
    std::int64_t layerAt(const QPointF& place) const;
    std::optional<CameraHandle> handleAt(const QPointF& place) const;
    /// The sight lines of the camera shown, from the eye, in this view.
    Sight sightLines() const;
    Sight sightLinesOf(const scene::Pose& pose) const;
    /// Those of the camera over the whole move, without those that lie on the one before; none where it has
    /// one mark.
    std::vector<Sight> sweep() const;
    QPointF aheadPlace() const;                               ///< of the handle that turns the camera
    V3d worldAt(const QPointF& place, const V3d& like) const; ///< in the plane of this view through a point
    bool onPath(const QPointF& place) const;
    /// Of the whole view; drawn anew where it is not the one that was kept.
    template <class Of, class Draw>
    void drawKept(QPainter& painter, KeptPicture<Of>& kept, Of wanted, Draw draw) {
        painter.drawPixmap(0, 0, kept.of(std::move(wanted), size(), devicePixelRatioF(), draw));
    }
    static void drawBar(QPainter& painter, const BarLook& bar);
    void drawBoxes(QPainter& painter);
    /// Those of the selected box that this view can drag.
    std::vector<interaction::BoxSide> sides() const;
    void drawBackdrop(QPainter& painter, std::vector<BarLook> bars);
    void drawGrid(QPainter& painter) const;
    static void drawSweep(QPainter& painter, const std::vector<Sight>& sights);
    void drawSight(QPainter& painter) const;
    void drawMissing(QPainter& painter) const;
    void drawCamera(QPainter& painter) const;
    void drawPath(QPainter& painter) const;
    void drawSharp(QPainter& painter) const;
    void labelFocus(QPainter& painter) const;
    QPolygonF bandOf(double near, double far) const;
    void takeHandle(const CameraHandle& handle);
    void sayOf(std::int64_t layer);
    void stop();

    Session& m_session;
    const Findings* m_findings = nullptr;
    From m_from;
    interaction::PaperScale m_scale;
    bool m_own = false; ///< zoomed or panned by hand: not refitted
    optics::View m_first;
    std::vector<Bar> m_bars;
    KeptPicture<Paper> m_paper;
    KeptPicture<std::vector<BarLook>> m_behind; ///< bars that are not selected
    KeptPicture<std::vector<BoxLook>> m_boxes;

    enum class Drag { None, Layer, Side, Camera, Focus, Pan, Frame } m_drag = Drag::None;
    std::int64_t m_dragLayer = 0;
    std::optional<CameraHandleDrag> m_camera;
    std::optional<interaction::BoxSide> m_side; ///< as it was when it was taken
    QPointF m_gripOff;                          ///< of the handle that was taken from the pointer
    bool m_moved = false;
    QPointF m_pressed, m_last;
    double m_depthFrom = 0;
    std::optional<double> m_snappedAt;
    QRectF m_frame; ///< being drawn around layers
    QString m_say;
};

}
