#include "motion/pixels.h"

#include "motion/track.h"
#include "optics/placing.h"

#include <algorithm>
#include <cmath>

namespace stage::motion {
namespace {

constexpr int mostOthers = 8; ///< how far one cut-out looks through others

/// Time of the footage in frames since its start. Exact where the numbers allow it.
struct Since {
    std::int64_t whole;
    double share;
};
Since framesSince(const scene::Footage& footage, Rational time) {
    if (!footage.speeds.empty()) {
        // The way under the curve of speed; Simpson's rule, exact for straight pieces.
        const double end = (time - footage.start).toDouble();
        const auto& keys = footage.speeds;
        const auto speed = [&](double t) {
            return valueAt(keys, Rational(static_cast<std::int64_t>(std::llround(t * 1e6)), 1'000'000));
        };
        std::vector<double> edges = {std::min(0.0, end)};
        for (const auto& key : keys)
            if (key.time.toDouble() > std::min(0.0, end) && key.time.toDouble() < std::max(0.0, end))
                edges.push_back(key.time.toDouble());
        edges.push_back(std::max(0.0, end));
        double sum = 0;
        for (std::size_t i = 1; i < edges.size(); ++i) {
            // A key that holds jumps at the next one's time, so the ends of a piece are looked at from
            // inside.
            const double a = edges[i - 1], b = edges[i], inset = std::min(2e-6, (b - a) / 4);
            constexpr int pieces = 32;
            const double step = (b - a) / pieces;
            for (int n = 0; n < pieces; ++n) {
                const double l = a + n * step, r = l + step;
                sum += step / 6 *
                       (speed(n == 0 ? l + inset : l) + 4 * speed((l + r) / 2) +
                        speed(n + 1 == pieces ? r - inset : r));
            }
        }
        const double frames = (end < 0 ? -sum : sum) * footage.rate.toDouble();
        const double whole = std::floor(frames + 1e-6);
        return {static_cast<std::int64_t>(whole), std::clamp(frames - whole, 0.0, 1.0)};
    }
    const Rational since = time - footage.start;
    const auto big = [](Rational a, Rational b, Rational c) {
        const auto size = [](std::int64_t v) { return std::abs(static_cast<double>(v)); };
        return size(a.num()) * size(b.num()) * size(c.num()) > 1e17 ||
               size(a.den()) * size(b.den()) * size(c.den()) > 1e17;
    };
    const Rational speed = footage.speed < Rational(0) ? Rational(0) - footage.speed : footage.speed;
    if (!big(since, footage.rate, speed)) {
        const Rational frames = since * footage.rate * speed;
        const std::int64_t whole = frames.floor();
        return {whole, (frames - Rational(whole)).toDouble()};
    }
    const double frames = since.toDouble() * footage.rate.toDouble() * speed.toDouble();
    const double whole = std::floor(frames + 1e-6);
    return {static_cast<std::int64_t>(whole), std::clamp(frames - whole, 0.0, 1.0)};
}

std::int64_t modulo(std::int64_t a, std::int64_t n) {
    return (a % n + n) % n;
}

// ---- cut-outs without keys

scene::Matte at(const scene::Matte& matte, Rational time) {
    scene::Matte now = matte;
    now.grow = valueAt(matte.grow, time);
    now.feather = valueAt(matte.feather, time);
    now.opacity = valueAt(matte.opacity, time);
    if (auto* outline = std::get_if<scene::Outline>(&now.shape))
        outline->points = scene::Keyed(valueAt(outline->points, time));
    else if (auto* rectangle = std::get_if<scene::Rectangle>(&now.shape))
        rectangle->area = valueAt(rectangle->area, time);
    else if (auto* ellipse = std::get_if<scene::Ellipse>(&now.shape))
        ellipse->area = valueAt(ellipse->area, time);
    return now;
}

bool moves(const scene::Matte& matte) {
    const auto* outline = std::get_if<scene::Outline>(&matte.shape);
    const auto* rectangle = std::get_if<scene::Rectangle>(&matte.shape);
    const auto* ellipse = std::get_if<scene::Ellipse>(&matte.shape);
    return matte.grow.moves() || matte.feather.moves() || matte.opacity.moves() ||
           (outline && outline->points.moves()) || (rectangle && rectangle->area.moves()) ||
           (ellipse && ellipse->area.moves());
}

template <class Visit> void forEachMatte(const scene::Cutout& cutout, Visit&& visit) {
    for (const scene::Matte& matte : cutout.mattes)
        visit(matte);
    for (const scene::Fill& fill : cutout.fills)
        for (const auto* mattes : {&fill.hole, &fill.from})
            for (const scene::Matte& matte : *mattes)
                visit(matte);
}

scene::CutoutPtr cutoutAt(const scene::CutoutPtr& cutout, Rational time) {
    if (!cutout) return nullptr;
    bool any = false;
    forEachMatte(*cutout, [&](const scene::Matte& matte) { any = any || moves(matte); });
    if (!any) return cutout;
    auto now = std::make_shared<scene::Cutout>(*cutout);
    for (scene::Matte& matte : now->mattes)
        matte = at(matte, time);
    for (scene::Fill& fill : now->fills)
        for (auto* mattes : {&fill.hole, &fill.from})
            for (scene::Matte& matte : *mattes)
                matte = at(matte, time);
    return now;
}

// ---- other layers

bool samePicture(const scene::Layer& a, const scene::Layer& b) {
    if (a.pixels != b.pixels || a.content.index() != b.content.index()) return false;
    const scene::Media *one = scene::mediaOf(a), *other = scene::mediaOf(b);
    if (!one || !other || one->path != other->path) return false;
    const auto* picture = std::get_if<scene::Picture>(&a.content);
    return !picture || picture->part == std::get<scene::Picture>(b.content).part;
}

/// Rows: the images of one pixel across, one down, and the top left corner, seen from the eye.
std::optional<M33d> basisOf(const scene::LayerPath& found, const V3d& eye) {
    const optics::Surface card = optics::surfaceOf(*found.layer, optics::worldOf(found.carriers));
    const V3d x = card.across / found.layer->pixels.x, y = card.down / found.layer->pixels.y;
    const V3d corner = card.corner - eye;
    const M33d basis(x.x, x.y, x.z, y.x, y.y, y.z, corner.x, corner.y, corner.z);
    if (!(std::abs(x.cross(y).dot(corner)) > 1e-300)) return std::nullopt; // seen edge-on
    return basis;
}

std::shared_ptr<Pixels> gather(const scene::Scene& scene, const scene::LayerPtr& layer, Rational time,
                               int depth) {
    if (layer->group() || layer->box()) return nullptr;
    auto pixels = std::make_shared<Pixels>();
    pixels->layer = layer;
    pixels->time = time;
    if (const auto* footage = std::get_if<scene::Footage>(&layer->content)) {
        const auto shown = footageAt(*footage, time);
        if (!shown) return nullptr;
        pixels->footage = *shown;
    }
    pixels->cutout = cutoutAt(layer->cutout, time);
    for (const scene::Displacement& each : layer->displacements) {
        if (!each.on || !(each.amount > 0)) continue;
        pixels->displacements.push_back(each);
        for (scene::Matte& matte : pixels->displacements.back().where)
            matte = at(matte, time);
    }
    if (depth >= mostOthers) return pixels;
    const auto look = [&](std::int64_t id) {
        if (id <= 0 || pixels->others.contains(id)) return;
        const scene::LayerPath found = scene::find(scene, id);
        if (!found.layer || found.layer == layer) return;
        OtherLayer other;
        other.pixels = gather(scene, found.layer, time, depth + 1);
        if (!other.pixels) return;
        other.same = samePicture(*layer, *found.layer);
        if (!other.same) {
            const V3d eye = optics::firstView(scene).eye;
            const auto from = basisOf(scene::find(scene, layer->id), eye);
            const auto to = basisOf(found, eye);
            if (!from || !to) return;
            other.place = *from * to->inverse();
        }
        pixels->others.emplace(id, std::move(other));
    };
    const auto lookAtMatte = [&](const scene::Matte& matte) {
        if (const auto* other = std::get_if<scene::OfLayer>(&matte.shape)) look(other->layer);
    };
    for (const scene::Displacement& each : pixels->displacements)
        std::for_each(each.where.begin(), each.where.end(), lookAtMatte);
    if (layer->shading) look(layer->shading->normals);
    if (pixels->cutout) {
        forEachMatte(*pixels->cutout, lookAtMatte);
        if (pixels->cutout->match) look(pixels->cutout->match->like);
    }
    return pixels;
}

}

scene::Area lerp(const scene::Area& a, const scene::Area& b, double f) {
    return {a.centre + (b.centre - a.centre) * f, a.size + (b.size - a.size) * f, lerp(a.turn, b.turn, f)};
}

std::vector<scene::PathPoint> lerp(const std::vector<scene::PathPoint>& a,
                                   const std::vector<scene::PathPoint>& b, double f) {
    if (a.size() != b.size()) return f < 1 ? a : b;
    std::vector<scene::PathPoint> points(a.size());
    for (std::size_t i = 0; i < a.size(); ++i)
        points[i] = {a[i].place + (b[i].place - a[i].place) * f, a[i].in + (b[i].in - a[i].in) * f,
                     a[i].out + (b[i].out - a[i].out) * f};
    return points;
}

std::optional<FootageFrame> footageAt(const scene::Footage& footage, Rational time) {
    if (footage.freeze) {
        const std::int64_t frame = std::clamp<std::int64_t>(*footage.freeze, 0, footage.frames - 1);
        return FootageFrame{frame, frame, 0};
    }
    const Since since = framesSince(footage, time);
    const std::int64_t count = footage.last() - footage.in + 1;
    const bool backwards = footage.speeds.empty() && footage.speed < Rational(0);
    const auto frameOf = [&](std::int64_t n) {
        if (footage.ends == scene::Ends::Loop) {
            n = modulo(n, count);
        } else if (footage.ends == scene::Ends::PingPong && count > 1) {
            n = modulo(n, 2 * count - 2);
            if (n >= count) n = 2 * count - 2 - n;
        } else {
            n = std::clamp<std::int64_t>(n, 0, count - 1);
        }
        return backwards ? footage.last() - n : footage.in + n;
    };
    if (footage.ends == scene::Ends::Vanish && (since.whole < 0 || since.whole >= count)) return std::nullopt;
    if (const std::int64_t over = std::min(footage.dissolve, (count - 1) / 2);
        footage.ends == scene::Ends::Loop && over > 0) {
        // Each round begins after what its end dissolves into, so it is shorter by that.
        const std::int64_t round = count - over, n = modulo(since.whole, round);
        const auto own = [&](std::int64_t k) { return backwards ? footage.last() - k : footage.in + k; };
        FootageFrame shown{own(n + over), own(n + over), 0};
        if (const std::int64_t left = round - n; left <= over) {
            shown.next = own(over - left);
            shown.share = 1 - (static_cast<double>(left) - (footage.mix ? since.share : 0)) /
                                  (static_cast<double>(over) + 1);
        } else if (footage.mix && since.share > 0) {
            shown.next = own(n + over + 1);
            shown.share = since.share;
        }
        return shown;
    }
    FootageFrame shown{frameOf(since.whole), frameOf(since.whole + 1), 0};
    if (footage.mix && shown.next != shown.frame) shown.share = since.share;
    if (shown.share == 0) shown.next = shown.frame;
    return shown;
}

PixelsPtr pixelsAt(const scene::Scene& scene, const scene::LayerPtr& layer, Rational time,
                   const std::vector<scene::GradePtr>& above) {
    auto pixels = gather(scene, layer, time, 0);
    if (!pixels) return pixels;
    if (layer->grade && !scene::neutral(*layer->grade)) pixels->grades.push_back({layer->grade, {}});
    for (const scene::GradePtr& grade : above)
        pixels->grades.push_back({grade, {}});
    if (layer->finish && !scene::neutral(*layer->finish)) pixels->finish = layer->finish;
    return pixels;
}

double DepthShare::at(const V2d& place) const {
    const double depth = corner + across * place.x + down * place.y;
    const double outside = std::max(from - depth, depth - to);
    if (outside <= 0) return 1;
    if (outside >= soft) return 0;
    const double t = 1 - outside / soft;
    return t * t * (3 - 2 * t);
}

Pixels plain(const Pixels& pixels) {
    Pixels cut = pixels;
    cut.displacements.clear();
    cut.grades.clear();
    cut.light = nullptr;
    cut.shadows = nullptr;
    cut.finish = nullptr;
    cut.margin = 0;
    return cut;
}

bool isPlain(const Pixels& pixels) {
    return pixels.displacements.empty() && pixels.grades.empty() && !pixels.light && !pixels.shadows &&
           !pixels.finish;
}

}
