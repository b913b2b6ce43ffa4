// The selected layer's own picture, flat, and the input that cuts it out: loops, outlines, shapes, brush,
// picking, cloning, filling, and the guide that splits a photograph.
#pragma once

#include "desk/session/session.h"

#include <QTimer>
#include <QWidget>
#include <atomic>
#include <memory>

class QCheckBox;
class QLabel;
class QPushButton;

namespace stage::desk {

class CutView : public QWidget {
    Q_OBJECT
public:
    explicit CutView(Session& session, QWidget* parent = nullptr);
    ~CutView() override;

    enum class Tool { Loop, Outline, Rectangle, Ellipse, Brush, Alike, Clone, Fill };
    void setTool(Tool tool);
    Tool tool() const { return m_tool; }

    /// Veil: what goes is darkened; Cut: over nothing; Matte: alpha as grey; Before: uncut.
    enum class Show { Veil, Cut, Matte, Before };
    void setShow(Show show);
    Show showing() const { return m_show; }

    /// Which matte of the layer is worked on, from 0; -1: none.
    int matte() const { return m_matte; }
    void setMatte(int index);
    double brushSize() const { return m_brushSize; }
    void setBrushSize(double pixels);
    void setBrushHardness(double hardness) { m_brushHardness = hardness; }
    void setBrushFlow(double flow) { m_brushFlow = flow; }

    /// The next click gives the colour under it instead of working.
    void pickColour(std::function<void(const scene::Colour&)> take);

    /// Near things first, then those in the middle, then the split.
    void startSplit();
    bool splitting() const { return m_guide != Guide::Off; }

    void fit();
    V2d toPicture(const QPointF& place) const; ///< layer px
    QPointF toView(const V2d& place) const;
    bool working() const { return m_busy; }
    QSize sizeHint() const override { return {412, 444}; }

Q_SIGNALS:
    void toolChanged();
    void matteChanged();
    void shown(); ///< the picture is up to date

protected:
    void paintEvent(QPaintEvent*) override;
    void resizeEvent(QResizeEvent*) override;
    void showEvent(QShowEvent*) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void mouseDoubleClickEvent(QMouseEvent* event) override;
    void tabletEvent(QTabletEvent* event) override;
    void wheelEvent(QWheelEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;
    void leaveEvent(QEvent*) override;

private:
    enum class Guide { Off, Near, Middle };
    enum class Grip { None, Pan, Loop, Shape, Corner, Area, Point, In, Out, NewPoint, Paint };
    struct Job;
    struct Held {
        Grip grip = Grip::None;
        int which = -1;
        V2d from{0};
    };

    scene::LayerPtr layer() const;
    const scene::Matte* current() const;
    Rational matteTime() const { return m_session.playhead.time(); }
    std::vector<scene::PathPoint>
    outline() const; ///< of the current matte, at the playhead; empty: it is none
    std::optional<scene::Area> area() const;
    Held gripAt(const QPointF& place) const;
    void layerMayHaveChanged();
    void request();
    void start();
    void refreshBanner();
    void placeBanner();
    void finishLoop();
    void finishOutline();
    void finishStroke();
    void finishSplit();
    void changeCurrent(const char* member, const scene::Json& value, bool keyed, bool live);
    void addMatte(scene::Json matte);
    void pick(const V2d& place);
    void drawOverlay(class QPainter& painter);
    void drawMatte(class CutOverlay& overlay) const;
    void drawBegun(class CutOverlay& overlay) const;

    Session& m_session;
    Tool m_tool = Tool::Loop;
    Show m_show = Show::Veil;
    std::int64_t m_layer = 0;
    int m_matte = -1;
    double m_zoom = 1;
    QPointF m_origin;
    bool m_fitted = false;

    QImage m_picture;
    QRectF m_place; ///< of the picture, layer px
    std::shared_ptr<Job> m_running, m_next;
    bool m_busy = false;
    QTimer m_tick;
    int m_seconds = 0;

    Held m_held;
    QPointF m_last, m_hover;
    bool m_over = false;
    std::vector<V2d> m_drawn;               ///< the loop or area being drawn
    std::vector<scene::PathPoint> m_points; ///< the outline being drawn
    std::vector<scene::PathPoint> m_pointsFrom;
    scene::Area m_areaFrom;
    scene::Stroke m_stroke;
    std::optional<V2d> m_cloneFrom;
    double m_pressure = 1;
    double m_brushSize = 40, m_brushHardness = 0.7, m_brushFlow = 1;
    std::function<void(const scene::Colour&)> m_take;

    Guide m_guide = Guide::Off;
    std::vector<std::vector<V2d>> m_near, m_middle;
    QWidget* m_banner;
    QLabel* m_bannerText;
    QPushButton *m_bannerNext, *m_bannerBack, *m_bannerCancel;
    QCheckBox* m_join;
};

}
