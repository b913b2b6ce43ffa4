// Where things are on the timeline: time across, rows down. The camera's move is the first row and stays at
// the top; the others scroll below it. Places are px of the widget. Interface thread.
#pragma once

#include "desk/session/session.h"
#include "interaction/time_scale.h"

#include <QRectF>
#include <map>
#include <set>

namespace stage::desk {

class TimelineMap {
public:
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

    explicit TimelineMap(const Session& session) : m_session(session) { layOut(); }
    /// Makes the rows of the scene as it is; curves are made anew when they are asked for.
    void layOut();
    void resize(const QSizeF& size);
    /// 0 is the camera's move, 1 its lens, then the layers, topmost first, each followed by its open lanes.
    const std::vector<Row>& rows() const { return m_rows; }

    // ---- time

    double xOfFrame(double frame) const;
    double xOf(Rational time) const;
    double frameAtX(double x) const; ///< not rounded, not clamped
    std::int64_t frameOfX(double x) const;
    interaction::TimeScale& zoom() { return m_zoom; }
    const interaction::TimeScale& zoom() const { return m_zoom; }
    interaction::TimeScale::Room room() const; ///< in frames

    // ---- rows

    QRectF rectOf(const Row& row) const;
    QRectF rowRect(int row) const;
    QRectF rowOf(std::int64_t layer) const; ///< empty where there is none
    double rowsHeight() const;              ///< of all but the camera's move
    double scroll() const { return m_scroll; }
    void scrollTo(double pixels);
    /// Brings a layer (0: the camera) with its open lanes into view.
    void reveal(std::int64_t layer);
    /// Lanes of a layer's tracks (0: the camera's) are shown under it.
    void setOpen(std::int64_t layer, bool open);
    bool isOpen(std::int64_t layer) const { return m_open.contains(layer); }

    // ---- what is in them

    const Row* laneAt(std::int64_t layer, const std::string& property) const;
    QRectF laneOf(std::int64_t layer, const std::string& property) const; ///< empty where there is none
    QPointF placeOf(const interaction::KeyRef& key) const;
    QPointF placeOf(const Row& row, const QRectF& lane, Rational time, double value) const;
    QRectF barOf(std::int64_t layer) const;
    QRectF barOf(const scene::Layer& layer, const QRectF& row) const;
    const Curve& curveOf(const Row& row) const;

    // ---- what is at a place

    int rowAt(const QPointF& place) const;  ///< -1: none
    int markAt(const QPointF& place) const; ///< -1: none
    std::optional<interaction::KeyRef> keyAt(const QPointF& place) const;

private:
    const Session& m_session;
    QSizeF m_size;
    std::vector<Row> m_rows;
    std::set<std::int64_t> m_open;
    mutable std::map<std::pair<std::int64_t, std::string>, Curve> m_curves;
    double m_scroll = 0;
    interaction::TimeScale m_zoom;
};

}
