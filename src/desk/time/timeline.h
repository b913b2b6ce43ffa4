// Time: the playhead, the camera's marks, its lens, the layers with when they show, and the lanes of tracks.
#pragma once

#include "desk/session/session.h"
#include "interaction/bar_edits.h"
#include "interaction/time_scale.h"

#include <QElapsedTimer>
#include <QPixmap>
#include <QTimer>
#include <QWidget>
#include <map>
#include <set>

class QLineEdit;
class QToolButton;

namespace stage::desk {

class Findings;
class FrameCache;

class Timeline : public QWidget {
    Q_OBJECT
public:
    explicit Timeline(Session& session, QWidget* parent = nullptr);
    QSize sizeHint() const override { return {1000, 212}; }
    /// What is shown on the ruler and on rows; they must outlive this.
    void setCache(const FrameCache* cache) { m_cache = cache; }
    void setFindings(const Findings* findings);

    bool playing() const { return m_clock.isActive(); }
    void setPlaying(bool playing);
    void toMark(int way); ///< the next one after (1) or before (-1) the playhead
    void fitAll();        ///< all of the scene's time
    /// Lanes of a layer's tracks (0: the camera's) are shown under it.
    void setOpen(std::int64_t layer, bool open);
    bool isOpen(std::int64_t layer) const { return m_open.contains(layer); }

    // Where things are, for input and for tests.
    double xOfFrame(double frame) const;
    QRectF rowRect(int row) const; ///< 0 is the camera's move, 1 its lens, then the layers, topmost first
    QRectF rowOf(std::int64_t layer) const;
    QRectF laneOf(std::int64_t layer, const std::string& property) const; ///< empty where there is none
    QPointF placeOf(const interaction::KeyRef& key) const;
    QRectF barOf(std::int64_t layer) const;

Q_SIGNALS:
    void playingChanged(bool playing);
    void findingsAsked(const QPoint& global); ///< their list, at a place of the screen
    void keyMenuAsked(const QPoint& global);
    void layerMenuAsked(const QPoint& global);

protected:
    void paintEvent(QPaintEvent*) override;
    void resizeEvent(QResizeEvent*) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void mouseDoubleClickEvent(QMouseEvent* event) override;
    void wheelEvent(QWheelEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;
    void contextMenuEvent(QContextMenuEvent* event) override;
    bool event(QEvent* event) override;

private:
    static constexpr double headHeight = 28, rowHeight = 27, laneHeight = 30, namesWidth = 180,
                            rightRoom = 26;
    struct Row {
        enum class Kind { Move, Lens, Layer, Track, Places } kind = Kind::Move;
        scene::LayerPtr layer; ///< of a layer, or of its lane
        std::string property;
        double top = 0, height = rowHeight; ///< px, before rows are scrolled
        std::int64_t id() const { return layer ? layer->id : 0; }
    };
    struct Curve {
        std::vector<double> values; ///< over the frames, few enough to draw
        double low = 0, high = 0;   ///< of them, and of the keys
    };
    enum class Drag { None, Playhead, Range, Mark, Bar, Keys, Frame };

    std::int64_t frameOfX(double x) const;
    double frameAtX(double x) const; ///< not rounded, not clamped
    double xOf(Rational time) const;
    interaction::TimeScale::Room room() const; ///< in frames
    int markAt(const QPointF& place) const;
    int rowAt(const QPointF& place) const; ///< of m_rows; -1: none
    std::optional<interaction::KeyRef> keyAt(const QPointF& place) const;
    std::optional<interaction::BarPart> barPartAt(const scene::Layer& layer, const QPointF& place) const;
    QRectF barOf(const scene::Layer& layer, const QRectF& row) const;
    double rowsHeight() const;
    const Row* laneAt(std::int64_t layer, const std::string& property) const;
    QRectF rectOf(const Row& row) const;
    const Curve& curveOf(const Row& row) const;
    QPointF placeOf(const Row& row, const QRectF& lane, Rational time, double value) const;

    void redraw(); ///< also what stands still
    void repaintTime();
    void paintStill(QPainter& painter);
    void paintCached(QPainter& painter);
    void paintChevron(QPainter& painter, const QRectF& rect, bool open);
    void paintValue(QPainter& painter, const Row& row, const QRectF& rect);
    void paintRuler(QPainter& painter);
    void paintMove(QPainter& painter);
    void paintLayer(QPainter& painter, const Row& row, const QRectF& rect);
    void paintLane(QPainter& painter, const Row& row, const QRectF& rect);
    void paintFindings(QPainter& painter);
    /// kept: room for a value at its right.
    void paintName(QPainter& painter, const QRectF& rect, const QString& name, double indent, double kept,
                   bool bold, const QColor& colour);

    void pressLayer(const Row& row, QMouseEvent* event);
    void pressKeys(const Row& row, QMouseEvent* event);
    void dragBar(const QPointF& place);
    void setClock();
    void choosePace(int move, const QPoint& where);
    void readTime();
    void reveal(std::int64_t layer);
    void layOut();

    Session& m_session;
    const FrameCache* m_cache = nullptr;
    const Findings* m_findings = nullptr;
    QTimer m_clock;
    QElapsedTimer m_since;
    std::int64_t m_startFrame = 0;
    std::vector<Row> m_rows;
    std::set<std::int64_t> m_open;
    mutable std::map<std::pair<std::int64_t, std::string>, Curve> m_curves;
    QPixmap m_still;
    bool m_stale = true;
    double m_scroll = 0;
    interaction::TimeScale m_zoom;

    Drag m_drag = Drag::None;
    interaction::BarPart m_part = interaction::BarPart::Whole;
    bool m_moved = false, m_copies = false;
    QPointF m_pressed;
    int m_dragMark = -1;
    Rational m_from; ///< of what is dragged, as the drag began
    std::int64_t m_grabbed = 0;
    interaction::KeyRefs m_keysFrom;
    QRectF m_frame; ///< drawn around keys
    QString m_say;
    QToolButton *m_play, *m_toStart, *m_toEnd;
    QLineEdit* m_time;
};

}
