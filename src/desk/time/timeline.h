// Time: the playhead, the camera's marks, its lens, the layers with when they show, and the lanes of tracks.
#pragma once

#include "desk/time/timeline_map.h"
#include "interaction/bar_edits.h"

#include <QElapsedTimer>
#include <QPixmap>
#include <QTimer>
#include <QWidget>

class QLineEdit;
class QToolButton;

namespace stage::checks {
struct Finding;
}

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
    /// Shows or hides the lanes of a layer's tracks (0: the camera's) under it.
    void open(std::int64_t layer, bool on);
    /// Where things are.
    const TimelineMap& map() const { return m_map; }

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
    using Row = TimelineMap::Row;
    enum class Drag { None, Playhead, Range, Mark, Bar, Keys, Frame };

    /// The row that a finding is about; empty where it is scrolled away.
    QRectF rowOf(const checks::Finding& finding) const;
    /// Time of the finding whose sign is at a place.
    std::optional<Rational> findingAt(const QPointF& place) const;
    std::optional<interaction::BarPart> barPartAt(const scene::Layer& layer, const QPointF& place) const;

    void redraw(); ///< also what stands still
    void repaintTime();
    void paintStill(QPainter& painter);
    void paintCached(QPainter& painter);
    void paintChevron(QPainter& painter, const QRectF& rect, bool open);
    void paintValue(QPainter& painter, const Row& row, const QRectF& rect);
    void paintRuler(QPainter& painter);
    void paintMove(QPainter& painter);
    void paintLayer(QPainter& painter, const Row& row, const QRectF& rect);
    void paintFootage(QPainter& painter, const scene::Footage& footage, const QRectF& bar);
    void paintFade(QPainter& painter, const QPainterPath& shape, const QRectF& bar, Rational seconds, bool in,
                   bool selected);
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

    Session& m_session;
    TimelineMap m_map;
    const FrameCache* m_cache = nullptr;
    const Findings* m_findings = nullptr;
    QTimer m_clock;
    QElapsedTimer m_since;
    std::int64_t m_startFrame = 0;
    QPixmap m_still;
    bool m_stale = true;

    Drag m_drag = Drag::None;
    interaction::BarPart m_part = interaction::BarPart::Whole;
    bool m_moved = false, m_copies = false;
    QPointF m_pressed;
    std::optional<Rational> m_pressedFinding; ///< time of the finding whose sign was pressed
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
