// What the lens sees, and input in it: selecting, sliding, scaling and turning layers, pushing them in
// depth, walking the camera.
#pragma once

#include "desk/jobs/frame_cache.h"
#include "desk/jobs/view_renderer.h"
#include "desk/session/session.h"
#include "interaction/camera_walk.h"
#include "interaction/handles.h"
#include "interaction/snapping.h"
#include "motion/walking.h"
#include "optics/placing.h"

#include <QTimer>
#include <QWidget>
#include <map>

class QLabel;
class QPushButton;
class QToolButton;

namespace stage::desk {

class CameraView : public QWidget {
    Q_OBJECT
public:
    explicit CameraView(Session& session, QWidget* parent = nullptr);

    enum class Tool { Move, Push, Turn, Walk };
    void setTool(Tool tool);
    Tool tool() const { return m_tool; }
    /// What a drag does to the camera with the walking tool; Shift and Ctrl lend Slide and Orbit to Look.
    static constexpr int walks = 7;
    void setWalk(interaction::WalkMode walk);
    interaction::WalkMode walk() const { return m_walk; }
    void setThirds(bool on);
    void setSafe(bool on);
    /// How the picture is shown; the scene does not change.
    void show(const ViewExposure& exposure);
    const ViewExposure& exposure() const { return m_exposure; }
    /// What stands still is refined to the final picture, piece by piece.
    void setRefining(bool on);
    bool refining() const { return m_refining; }
    bool refined() const { return m_refined; } ///< all of what is shown is
    /// Layers whose media are not there: their hatched cards get a label.
    void setMissing(std::vector<std::int64_t> layers);
    const std::vector<std::int64_t>& missing() const { return m_missing; }

    /// Shows the next frames as they are rendered ahead; while playing nothing is dropped from the cache.
    void setPlaying(bool playing);
    const FrameCache& cache() const { return m_cache; }
    /// Bytes kept for playing.
    void setPlayBudget(std::size_t bytes);
    /// The frame whose picture is shown now: while playing it may be behind the playhead.
    std::int64_t shownFrame() const { return m_shown; }
    double lastMilliseconds() const { return m_milliseconds; }

    /// The next click says what is sharp at the mark at or before the playhead, the one after it what is
    /// sharp at the mark that follows. Esc ends it.
    void startPull();
    bool pulling() const { return m_pull >= 0; }

    /// The whole frame; else it has been zoomed at the pointer.
    void fitAll();
    void fitSelection();
    /// Where the tool's hint stands, all of it within the view.
    QRectF hintRect() const;
    QRectF frameRect() const; ///< where the frame lies in the widget
    /// The handles on the one selected layer, in the widget.
    std::vector<std::pair<interaction::Handle, QPointF>> handles() const;
    void addGuide(bool upright, const QPointF& place);
    QSize sizeHint() const override { return {600, 338}; }

Q_SIGNALS:
    void cacheChanged();   ///< a moment ago: frames come faster than is worth showing
    void pictureShown();   ///< a new one came from the renderer
    void pictureRefined(); ///< all of it is as it will be written
    void toolChanged();
    void menuAsked(const QPoint& global, const QPointF& place);

protected:
    void paintEvent(QPaintEvent*) override;
    void resizeEvent(QResizeEvent*) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void wheelEvent(QWheelEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;
    void keyReleaseEvent(QKeyEvent* event) override;
    void contextMenuEvent(QContextMenuEvent* event) override;
    bool event(QEvent* event) override;

private:
    void forget();
    void update();
    void refill();
    void keep(std::int64_t frame, const QImage& picture);
    void refine();
    void updateBanner();
    V2i pictureSize() const;
    /// Pixels of a picture of that size that are in view.
    media::Box inView(V2i size) const;
    RenderRequest request(std::int64_t frame) const;
    optics::View view() const; ///< of the scene's own frame
    V2d toFrame(const QPointF& place) const;
    std::int64_t layerAt(const V2d& place) const;
    void makeWalkBar();
    QString walkHint() const;
    QString hint() const; ///< what the tool says at the frame's foot
    void placeWalkBar();
    void beginWalk(const V2d& place);
    void walkTo(const QPointF& place, Qt::KeyboardModifiers keys);
    void walkBy(const motion::Step& step);
    void walked(const scene::Pose& pose); ///< shows it, and says how far it went since the walk began
    bool walkKey(QKeyEvent* event);
    void wheelWalk(QWheelEvent* event);
    void stopWalk();
    QPointF toView(const V2d& place) const;
    bool shows(const scene::LayerPath& found, const V2d& place) const;
    std::optional<interaction::HandlePlane> planeOf(const scene::LayerPath& found) const;
    int guideAt(const QPointF& place) const;
    void drawHandles(QPainter& painter) const;
    void drawMissing(QPainter& painter) const;
    void pullAt(const V2d& place);
    void endPull();
    void slideTo(const QPointF& place, Qt::KeyboardModifiers keys);
    void dragHandle(const QPointF& place, Qt::KeyboardModifiers keys);
    void turnBy(const QPointF& by, Qt::KeyboardModifiers keys);
    void dragGuide(const QPointF& place);
    /// The shift, in the world, that catches a layer's box on lines of the frame.
    V3d caught(const scene::LayerPath& moved);
    double reach() const; ///< depth at which a dragged camera follows the hand

    Session& m_session;
    ViewRenderer m_request, m_ahead, m_final;
    QString m_failure; ///< the sentence told last, until a picture comes
    ViewExposure m_exposure;
    bool m_refining = true, m_refined = false;
    Tool m_tool = Tool::Move;
    bool m_thirds = true, m_safe = false, m_playing = false;
    QImage m_picture;
    FrameCache m_cache; ///< drafts, for playing
    std::int64_t m_shown = -1;
    std::map<std::int64_t, QImage> m_finals; ///< refined ones, which would flicker among drafts
    qint64 m_generation = 0;
    double m_milliseconds = 0;

    std::vector<std::int64_t> m_missing;
    double m_zoom = 1;
    QPointF m_shift; ///< of the frame from the middle, px of the widget

    bool m_dragging = false, m_moved = false, m_panning = false;
    std::optional<interaction::Handle> m_handle;
    std::optional<interaction::HandlePlane> m_plane; ///< of the layer as the drag began
    V2d m_shareFrom{0};
    int m_pull = -1;  ///< the mark, from 0, for which a click is awaited
    int m_pulled = 0; ///< clicks so far
    int m_guide = -1;
    std::vector<interaction::SnapLine> m_across, m_up; ///< lines caught on now: upright and level
    QPointF m_from, m_last;
    interaction::WalkMode m_walk = interaction::WalkMode::Look;
    scene::Pose m_walkFrom;
    interaction::CameraWalk m_walking;
    bool m_wasOff = false; ///< as the walk began
    bool m_level = false;  ///< L is held: along one axis only
    Qt::KeyboardModifiers m_walkKeys;
    V3d m_grip;
    double m_depthFrom = 0;
    std::int64_t m_grabbed = 0;
    bool m_alone = false;                  ///< a click here selects one alone
    std::optional<std::int64_t> m_clicked; ///< what a press that does not become a drag selects
    double m_draft = 1;                    ///< share of the view's size at which a drag is shown
    QString m_say;
    QTimer m_walkEnd, m_still, m_rest, m_slow, m_cacheTold;
    bool m_waiting = false; ///< for a picture, longer than a moment
    bool m_resting = false; ///< the preview has not changed for a while

    QWidget *m_banner, *m_walkBar;
    std::vector<QToolButton*> m_walkButtons;
    QLabel* m_bannerText;
    QPushButton *m_bannerSet, *m_bannerBack;
};

}
