#include "desk/time/timeline_map.h"

#include "motion/values.h"
#include "scene/property.h"

#include <algorithm>
#include <cmath>

namespace stage::desk {

void TimelineMap::resize(const QSizeF& size) {
    m_size = size;
    scrollTo(m_scroll);
}

void TimelineMap::scrollTo(double pixels) {
    m_scroll =
        std::clamp(pixels, 0.0, std::max(0.0, rowsHeight() - (m_size.height() - headHeight - rowHeight)));
}

void TimelineMap::layOut() {
    m_rows = {{Row::Kind::Move, nullptr, {}}, {Row::Kind::Lens, nullptr, {}}};
    m_curves.clear();
    const scene::Scene& scene = *m_session.scene();
    if (isOpen(0))
        for (const scene::Track& track : scene.camera.tracks)
            m_rows.push_back({Row::Kind::Track, nullptr, track.property});
    std::vector<std::vector<Row>> layers;
    scene::forEach(scene, [&](const scene::LayerPtr& layer, const auto&) {
        std::vector<Row> rows{{Row::Kind::Layer, layer, {}}};
        if (isOpen(layer->id)) {
            if (!layer->places.empty()) rows.push_back({Row::Kind::Places, layer, {}});
            for (const scene::Track& track : layer->tracks)
                rows.push_back({Row::Kind::Track, layer, track.property});
        }
        layers.push_back(std::move(rows));
    });
    for (std::size_t i = layers.size(); i-- > 0;)
        m_rows.insert(m_rows.end(), layers[i].begin(), layers[i].end());
    double top = headHeight;
    for (Row& row : m_rows) {
        row.top = top;
        if (row.kind == Row::Kind::Track) row.height = laneHeight;
        top += row.height;
    }
    scrollTo(m_scroll);
}

void TimelineMap::setOpen(std::int64_t layer, bool open) {
    if (open)
        m_open.insert(layer);
    else
        m_open.erase(layer);
    layOut();
    if (open) reveal(layer);
}

void TimelineMap::reveal(std::int64_t layer) {
    double top = 1e9, bottom = 0;
    for (std::size_t i = 1; i < m_rows.size(); ++i) {
        if (m_rows[i].id() != layer || m_rows[i].kind == Row::Kind::Lens) continue;
        const QRectF row = rectOf(m_rows[i]);
        top = std::min(top, row.top());
        bottom = std::max(bottom, row.bottom());
    }
    if (bottom <= 0 && top > 1e8) return;
    const double first = headHeight + rowHeight;
    if (bottom > m_size.height()) m_scroll += bottom - m_size.height(), top -= bottom - m_size.height();
    if (top < first) m_scroll = std::max(0.0, m_scroll - (first - top));
}

interaction::TimeScale::Room TimelineMap::room() const {
    return {namesWidth, m_size.width() - namesWidth - rightRoom,
            std::max<double>(1, static_cast<double>(m_session.scene()->output.frames - 1))};
}

double TimelineMap::xOfFrame(double frame) const {
    return m_zoom.xOf(frame, room());
}

double TimelineMap::frameAtX(double x) const {
    return m_zoom.timeAt(x, room());
}

std::int64_t TimelineMap::frameOfX(double x) const {
    return std::clamp<std::int64_t>(std::llround(frameAtX(x)), 0, m_session.scene()->output.frames - 1);
}

double TimelineMap::xOf(Rational time) const {
    return xOfFrame((time * m_session.scene()->output.rate).toDouble());
}

double TimelineMap::rowsHeight() const { // without the camera's move, which stays
    return m_rows.back().top + m_rows.back().height - headHeight - rowHeight;
}

QRectF TimelineMap::rectOf(const Row& row) const {
    return {0, row.top - (row.kind == Row::Kind::Move ? 0 : m_scroll), static_cast<double>(m_size.width()),
            row.height};
}

QRectF TimelineMap::rowRect(int row) const {
    return rectOf(m_rows[static_cast<std::size_t>(row)]);
}

QRectF TimelineMap::rowOf(std::int64_t layer) const {
    for (const Row& row : m_rows)
        if (row.kind == Row::Kind::Layer && row.id() == layer) return rectOf(row);
    return {};
}

const TimelineMap::Row* TimelineMap::laneAt(std::int64_t layer, const std::string& property) const {
    for (const Row& row : m_rows)
        if (row.kind == Row::Kind::Track && row.id() == layer && row.property == property) return &row;
    return nullptr;
}

QRectF TimelineMap::laneOf(std::int64_t layer, const std::string& property) const {
    const Row* row = laneAt(layer, property);
    return row ? rectOf(*row) : QRectF();
}

QPointF TimelineMap::placeOf(const interaction::KeyRef& key) const {
    const auto* at = interaction::keyOf(*m_session.scene(), key);
    const Row* row = laneAt(key.layer, key.property);
    return at && row ? placeOf(*row, rectOf(*row), key.time, at->value) : QPointF();
}

QPointF TimelineMap::placeOf(const Row& row, const QRectF& lane, Rational time, double value) const {
    const Curve& curve = curveOf(row);
    const double share =
        curve.high - curve.low > 1e-12 ? (value - curve.low) / (curve.high - curve.low) : 0.5;
    return {xOf(time), lane.bottom() - 7 - share * (lane.height() - 14)};
}

int TimelineMap::rowAt(const QPointF& place) const {
    if (rowRect(0).contains(place)) return 0;
    if (place.y() <= headHeight + rowHeight) return -1;
    for (std::size_t i = 1; i < m_rows.size(); ++i)
        if (rectOf(m_rows[i]).contains(place)) return static_cast<int>(i);
    return -1;
}

int TimelineMap::markAt(const QPointF& place) const {
    if (!rowRect(0).contains(place)) return -1;
    const auto& marks = m_session.scene()->camera.marks;
    for (std::size_t i = 0; i < marks.size(); ++i)
        if (std::abs(xOf(marks[i].time) - place.x()) < 8) return static_cast<int>(i);
    return -1;
}

std::optional<interaction::KeyRef> TimelineMap::keyAt(const QPointF& place) const {
    const int row = rowAt(place);
    if (row < 0 || m_rows[static_cast<std::size_t>(row)].kind != Row::Kind::Track ||
        place.x() < namesWidth - 8)
        return {};
    const Row& lane = m_rows[static_cast<std::size_t>(row)];
    const scene::Track* track = interaction::trackOf(*m_session.scene(), lane.id(), lane.property);
    if (!track) return {};
    std::optional<interaction::KeyRef> best;
    double nearest = 7;
    for (const auto& key : track->keys)
        if (const double off = std::abs(xOf(key.time) - place.x()); off < nearest)
            nearest = off, best = interaction::KeyRef{lane.id(), lane.property, key.time};
    return best;
}

QRectF TimelineMap::barOf(const scene::Layer& layer, const QRectF& row) const {
    const auto& out = m_session.scene()->output;
    const double from = layer.showing.in ? (*layer.showing.in * out.rate).toDouble() : 0,
                 to = layer.showing.out ? (*layer.showing.out * out.rate).toDouble()
                                        : static_cast<double>(out.frames - 1);
    const double left = std::clamp<double>(xOfFrame(from), namesWidth, m_size.width() - rightRoom),
                 right = std::clamp<double>(xOfFrame(to), left, m_size.width() - rightRoom);
    return {left, row.top() + 6, right - left, row.height() - 12};
}

QRectF TimelineMap::barOf(std::int64_t layer) const {
    for (std::size_t i = 0; i < m_rows.size(); ++i)
        if (m_rows[i].kind == Row::Kind::Layer && m_rows[i].id() == layer)
            return barOf(*m_rows[i].layer, rectOf(m_rows[i]));
    return {};
}

const TimelineMap::Curve& TimelineMap::curveOf(const Row& row) const {
    const auto key = std::pair(row.kind == Row::Kind::Lens ? -1 : row.id(),
                               row.kind == Row::Kind::Lens ? std::string("focus") : row.property);
    const auto [at, made] = m_curves.try_emplace(key);
    Curve& curve = at->second;
    if (!made) return curve;
    const scene::Scene& scene = *m_session.scene();
    const motion::CameraMove& move = m_session.move();
    const motion::Values values(scene, [&](double t) { return move.posed(t); });
    const auto count = std::min<std::int64_t>(scene.output.frames, 400);
    const double seconds = scene::lastTime(scene).toDouble();
    for (std::int64_t i = 0; i < count; ++i) {
        const double t = count > 1 ? seconds * static_cast<double>(i) / static_cast<double>(count - 1) : 0;
        double v = 0;
        if (row.kind == Row::Kind::Lens)
            v = -1 / std::max(1e-3, move.at(t).focus); // dioptres, far above: as a focus ring goes
        else if (row.id() == 0)
            v = motion::cameraValue(scene, move, row.property, t);
        else
            v = values.of(row.id(), row.property, t).value_or(0);
        curve.values.push_back(v);
    }
    std::vector<double> all = curve.values;
    if (const scene::Track* track =
            row.kind == Row::Kind::Lens ? nullptr : interaction::trackOf(scene, row.id(), row.property))
        for (const auto& k : track->keys)
            all.push_back(k.value);
    const auto [low, high] = std::minmax_element(all.begin(), all.end());
    curve.low = *low, curve.high = *high;
    return curve;
}

}
