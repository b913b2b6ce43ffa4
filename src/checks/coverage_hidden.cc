#include "checks/coverage_sheets.h"

namespace stage::checks {

/// What may stand before a layer: a sheet, and the one whose depth its own is compared with: the layer's, or
/// that of the group that is mixed on its own and holds it.
struct Coverage::Rival {
    const Sheet* sheet;
    const Sheet* against;
    bool above; ///< in front of it at the same depth
    bool inFront(const V2d& place) const {
        const double own = against->sights.front().depthAt(place), its = sheet->sights.front().depthAt(place);
        return its > 0 && (above ? its <= own : its < own);
    }
};

namespace {

/// The corners of a part, and its middle.
std::array<V2d, 5> placesOf(const optics::FramePart& part) {
    return {part.low, part.high, V2d(part.low.x, part.high.y), V2d(part.high.x, part.low.y),
            (part.low + part.high) / 2};
}

/// The least box of the frame that holds all of a card, blurred as it is; all of the frame where the card
/// reaches behind the lens.
std::pair<V2i, V2i> boxAround(const std::vector<Sight>& sights, V2i frame) {
    V2d low(frame), high(0);
    for (const Sight& sight : sights)
        for (const V3d& corner : sight.card.outline()) {
            const auto place = optics::project(sight.view, corner);
            if (!place) return {V2i(0), frame};
            const double disc = std::abs(sight.discAt(*place));
            for (int i = 0; i < 2; ++i)
                low[i] = std::min(low[i], (*place)[i] - disc),
                high[i] = std::max(high[i], (*place)[i] + disc);
        }
    const auto whole = [](double v, int most) { return static_cast<int>(std::clamp(v, 0.0, double(most))); };
    return {{whole(std::floor(low.x), frame.x), whole(std::floor(low.y), frame.y)},
            {whole(std::ceil(high.x), frame.x), whole(std::ceil(high.y), frame.y)}};
}

}

/// Whether something of a layer reaches the picture in this box of the frame. through: what gets past the
/// rivals that are left out, since they are as opaque all over.
bool Coverage::reaches(const Looking& looking, const Sheet& sheet, const std::vector<Rival>& rivals, V2i low,
                       V2i high, double through) {
    using Of = Looking::Cover::Of;
    if (looking.stop.stop_requested()) return true;
    const optics::FramePart part{V2d(low), V2d(high)};
    const Looking::Cover own = looking.coverOf(sheet, part);
    if (own.of == Of::None) return false;
    const auto places = placesOf(part);
    std::vector<Rival> some;
    for (const Rival& rival : rivals) {
        // A bent one may come forward between these places.
        const bool flat =
            rival.sheet->sights.front().card.bend == 0 && rival.against->sights.front().card.bend == 0;
        const auto fronts = std::count_if(places.begin(), places.end(),
                                          [&](const V2d& place) { return rival.inFront(place); });
        if (flat && fronts == 0) continue;
        const Looking::Cover cover = looking.coverOf(*rival.sheet, part);
        if (cover.of == Of::None) continue;
        if (cover.of == Of::All && flat && fronts == static_cast<std::ptrdiff_t>(places.size()))
            through *= 1 - cover.opacity;
        else
            some.push_back(rival);
        if (through * sheet.opacity < leastOpen) return false;
    }
    if (some.empty() && own.of == Of::All) return own.opacity * through >= leastOpen;
    if (high.x - low.x > looking.finest || high.y - low.y > looking.finest) {
        const V2i middle = (low + high) / 2;
        for (const auto& [a, b] : {std::pair(low, middle),
                                   {V2i(middle.x, low.y), V2i(high.x, middle.y)},
                                   {V2i(low.x, middle.y), V2i(middle.x, high.y)},
                                   {middle, high}})
            if (b.x > a.x && b.y > a.y && reaches(looking, sheet, some, a, b, through)) return true;
        return false;
    }
    for (const V2d& place : places) {
        std::vector<const Sheet*> before;
        for (const Rival& rival : some)
            if (rival.inFront(place)) before.push_back(rival.sheet);
        const double share = 1 - looking.past({&sheet}, place, V2d(0), sheet.sights.size() / 2);
        if (share * looking.past(before, place, V2d(0), sheet.sights.size() / 2, through) >= leastOpen)
            return true;
    }
    return false;
}

/// Calls visit with the sheets of layers that are wanted, and what may stand before each.
void Coverage::withRivals(const std::vector<Sheet>& among, const Rivals& outside,
                          const std::function<bool(const Sheet&)>& wanted, const Visit& visit) {
    // The nearest is the largest, and most likely to hide another alone.
    std::vector<const Sheet*> nearest;
    for (const Sheet& sheet : among)
        if (sheet.hides) nearest.push_back(&sheet);
    const auto depth = [](const Sheet* sheet) {
        const Sight& sight = sheet->sights.front();
        return optics::depthOf(sight.view, sight.card.centre());
    };
    std::stable_sort(nearest.begin(), nearest.end(),
                     [&](const Sheet* a, const Sheet* b) { return depth(a) < depth(b); });
    for (const Sheet& sheet : among) {
        if (sheet.group.empty() && !wanted(sheet)) continue;
        Rivals rivals = outside;
        for (const Sheet* other : nearest)
            if (other != &sheet) rivals.push_back({other, &sheet, other > &sheet});
        if (sheet.group.empty())
            visit(sheet, rivals);
        else
            withRivals(sheet.group, rivals, wanted, visit);
    }
}

Result<std::vector<std::int64_t>> Coverage::hidden(const motion::Frame& frame,
                                                   const std::set<std::int64_t>& layers, int finest,
                                                   const std::stop_token& stop) {
    const std::vector<Sheet> sheets = sheetsOf(frame.items, Moments(frame), stop);
    const Looking looking(frame, finest, stop);
    std::vector<std::int64_t> found;
    const auto wanted = [&](const Sheet& sheet) { return layers.contains(sheet.layer); };
    withRivals(sheets, {}, wanted, [&](const Sheet& sheet, const Rivals& rivals) {
        const auto [low, high] = boxAround(sheet.sights, frame.size);
        if (low.x < high.x && low.y < high.y && !reaches(looking, sheet, rivals, low, high))
            found.push_back(sheet.layer);
    });
    if (stop.stop_requested()) return cancelled();
    return found;
}

namespace {

V2d onBorder(const optics::Surface& card, int side, double share) {
    const double s = -card.left + share * (1 + card.left + card.right),
                 t = -card.top + share * (1 + card.top + card.bottom);
    switch (side) {
    case 0:
        return {-card.left, t};
    case 1:
        return {s, -card.top};
    case 2:
        return {1 + card.right, t};
    default:
        return {s, 1 + card.bottom};
    }
}

}

/// Where a picture is opaque along its borders; worked out once for what a layer shows.
const Coverage::Borders& Coverage::bordersOf(const Sheet& sheet) {
    auto& [of, borders] = m_borders[sheet.layer];
    if (of == sheet.texels() && borders.known) return borders;
    of = sheet.texels();
    borders = {};
    borders.known = true;
    const optics::Surface& card = sheet.sights.front().card;
    for (int side = 0; side < 4; ++side)
        for (std::size_t i = 0; i < Borders::along; ++i) {
            const V2d share = onBorder(card, side, (static_cast<double>(i) + 0.5) / Borders::along);
            if (sheet.alpha(share.x, share.y) < 0.5 * sheet.opacity) continue;
            borders.opaque[static_cast<std::size_t>(side)].set(i);
        }
    return borders;
}

void Coverage::addCutEdges(const Looking& looking, const Sheet& sheet, const Rivals& rivals,
                           std::vector<CutEdge>& edges) {
    const Borders& borders = bordersOf(sheet);
    if (std::all_of(borders.opaque.begin(), borders.opaque.end(),
                    [](const auto& side) { return side.none(); }))
        return;
    const Sight& sight = sheet.sights[sheet.sights.size() / 2];
    const V2d frame(looking.frame.size);
    // How far a place is inside the frame; below 0: beside it, or behind the lens.
    const auto insideOf = [&](const std::optional<V2d>& at) {
        return at ? std::min({at->x, at->y, frame.x - at->x, frame.y - at->y}) : -1.0;
    };
    // All around within the frame it is a card on purpose.
    bool card = true;
    std::vector<CutEdge> own;
    for (int side = 0; side < 4; ++side) {
        const auto& opaque = borders.opaque[static_cast<std::size_t>(side)];
        card = card && opaque.any();
        if (opaque.none()) continue;
        CutEdge edge{sheet.layer, side};
        double whole = 0;
        const auto place = [&](std::size_t i) {
            const V2d share = onBorder(sight.card, side, static_cast<double>(i) / Borders::along);
            return optics::project(sight.view, sight.card.at(share.x, share.y));
        };
        std::optional<V2d> next = place(0);
        card = card && insideOf(next) >= 0;
        for (std::size_t i = 0; i < Borders::along; ++i) {
            const std::optional<V2d> here = std::exchange(next, place(i + 1));
            card = card && insideOf(next) >= 0;
            if (!here || !next) continue;
            const double length = (*next - *here).length();
            whole += length;
            const V2d middle = (*here + *next) / 2;
            const double inside = insideOf(middle);
            if (inside < 2 || !opaque.test(i)) continue;
            std::vector<const Sheet*> before;
            for (const Rival& rival : rivals)
                if (rival.inFront(middle)) before.push_back(rival.sheet);
            if (looking.past(before, middle, V2d(0), sheet.sights.size() / 2) < 0.1) continue;
            edge.length += length;
            edge.inside = std::max(edge.inside, inside);
        }
        card = card && edge.length > 0.5 * whole;
        if (edge.length > 0) own.push_back(edge);
    }
    if (!card) edges.insert(edges.end(), own.begin(), own.end());
}

Result<std::vector<CutEdge>> Coverage::cutEdges(const motion::Frame& frame, const std::stop_token& stop) {
    const std::vector<Sheet> sheets = sheetsOf(frame.items, Moments(frame), stop);
    const Looking looking(frame, 1, stop);
    std::vector<CutEdge> edges;
    const auto wanted = [&](const Sheet& sheet) {
        const auto& content = sheet.pixels->layer->content;
        const bool picture = std::holds_alternative<scene::Picture>(content) ||
                             std::holds_alternative<scene::Footage>(content);
        return picture && sheet.hides && !stop.stop_requested();
    };
    withRivals(sheets, {}, wanted,
               [&](const Sheet& sheet, const Rivals& rivals) { addCutEdges(looking, sheet, rivals, edges); });
    if (stop.stop_requested()) return cancelled();
    return edges;
}

}
