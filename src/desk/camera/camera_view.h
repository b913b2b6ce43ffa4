// What the lens sees, and input in it: selecting, sliding, scaling and turning layers, pushing them in
// depth, walking the camera.
#pragma once

#include "desk/camera/camera_overlay.h"
#include "desk/camera/camera_picture.h"
#include "desk/camera/flat_picture.h"
#include "desk/camera/focus_pull.h"
#include "desk/camera/frame_fit.h"
#include "desk/camera/layer_drag.h"
#include "desk/camera/walk_tool.h"
#include "desk/session/findings.h"

#include <QWidget>

namespace stage::desk {

class OffMoveBanner;

class CameraView : public QWidget {
    Q_OBJECT
public:
    explicit CameraView(Session& session, QWidget* parent = nullptr);

    enum class Tool { Move, Push, Turn, Walk };
    void setTool(Tool tool);
    Tool tool() const { return m_tool; }
    WalkTool& walking() { return *m_walk; }
    CameraPicture& picture() { return m_picture; }
    const CameraPicture& picture() const { return m_picture; }
    FlatPicture& flat() { return m_flat; }
    void setThirds(bool on);
    void setVariants(bool on); ///< frames of size variants
    void setSafe(bool on);
    void setGapMap(bool on);
    /// Their gaps are shown on the map. Must stay.
    void setFindings(const Findings* findings);
    /// Layers whose media are not there: their hatched cards get a label.
    void setMissing(std::vector<std::int64_t> layers);
    const std::vector<std::int64_t>& missing() const { return m_missing; }

    /// The next click says what is sharp at the mark at or before the playhead, the one after it what is
    /// sharp at the mark that follows. Esc ends it.
    void startPull();
    bool pulling() const { return m_pull.active(); }

    /// The whole frame; else it has been zoomed at the pointer.
    void fitAll();
    void fitSelection();
    /// Where the tool's hint stands, all of it within the view.
    QRectF hintRect() const;
    QRectF frameRect() const { return fit().rect; } ///< where the frame lies in the widget
    /// The handles on the one selected layer, in the widget.
    PlacedHandles handles() const;
    void addGuide(bool upright, const QPointF& place);
    QSize sizeHint() const override { return {600, 338}; }

Q_SIGNALS:
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
    enum class Held { Nothing, View, Guide, Wipe, Handle, Layer, Camera };

    FrameFit fit() const;
    CameraPicture::Extent extent(double share) const;
    V2d toFrame(const QPointF& place) const { return fit().toFrame(place); }
    double pixel() const { return 1 / fit().pixelsEach(); } ///< px of the frame, for one of the widget
    std::int64_t layerAt(const V2d& place) const;
    bool shows(const scene::LayerPath& found, const V2d& place) const;
    int guideAt(const QPointF& place) const; ///< index; -1: none
    QString dragGuide(const QPointF& place);
    void placeBars();
    void forget();
    void drawPicture(QPainter& painter, const QRectF& frame);
    bool wipeAt(const QPointF& place) const;
    QString hint() const; ///< what the tool says at the frame's foot
    void say(const QString& text);
    void hold(Held held);
    bool holdHandle(const QPointF& place, Qt::KeyboardModifiers keys);
    void holdLayer(const V2d& place, bool also);
    void endPull();
    void cancelDrag();
    /// Moves the selection by an arrow key. False when the key is none.
    bool moveByKey(const QKeyEvent& event);

    Session& m_session;
    CameraPicture m_picture;
    FlatPicture m_flat;
    LayerDrag m_drag;
    FocusPull m_pull;
    WalkTool* m_walk;
    OffMoveBanner* m_banner;
    Tool m_tool = Tool::Move;
    bool m_thirds = true, m_variants = true, m_safe = false, m_gapMap = false;
    const Findings* m_findings = nullptr;
    std::vector<std::int64_t> m_missing;
    FrameZoom m_zoom;

    Held m_held = Held::Nothing;
    bool m_moved = false; ///< the drag is more than a click
    int m_guide = -1;
    QPointF m_from, m_last;
    bool m_alone = false;                  ///< a click here selects one alone
    std::optional<std::int64_t> m_clicked; ///< what a press that does not become a drag selects
    QString m_say;
};

}
