#include "desk/session/session.h"

#include "motion/measure.h"
#include "motion/values.h"

#include <algorithm>

namespace stage::desk {

Session::Session(std::filesystem::path journals)
    : document(std::move(journals)), playhead(document), selection(document), camera(document, playhead),
      m_sources(std::make_shared<media::PixelCache>()), m_swatches(m_sources),
      m_footSlip(document, selection, m_sources) {
    connect(&document, &Document::problem, this, &Session::problem);
    connect(&document, &Document::beginning, this, [this] {
        m_reference = 0;
        m_sources->forgetProblems();
    });
}

Session::~Session() = default;

const motion::ResolvedScene& Session::now() const {
    const scene::Pose pose = camera.pose();
    if (!m_now || m_nowOf != document.scene() || m_now->time != playhead.time() || !(m_now->pose == pose)) {
        m_now.emplace(*document.scene(), playhead.time(), pose);
        m_nowOf = document.scene();
    }
    return *m_now;
}

interaction::Covers Session::covers() {
    return [this](const scene::LayerPath& found, double s, double t) {
        return m_swatches.covers(*document.scene(), found.layer, s, t);
    };
}

std::int64_t Session::layerAt(const optics::View& view, const V2d& place) {
    return interaction::layerAt(now(), view, place, covers());
}

std::vector<V3d> Session::outlines(bool selectedOnly) const {
    std::vector<V3d> points;
    for (const scene::LayerPath& found : now().all) {
        if (found.layer->group() || (selectedOnly && !selection.contains(found))) continue;
        const auto outline = motion::outlineOf(now(), found);
        points.insert(points.end(), outline.begin(), outline.end());
    }
    return points;
}

scene::Placement Session::placementNow(std::int64_t id) const {
    // As it stood before the drag that goes on.
    const scene::Scene& scene = *document.history().scene();
    const scene::LayerPath found = scene::find(scene, id);
    return found.layer ? motion::Values(scene).placement(*found.layer, playhead.time()) : scene::Placement{};
}

edit::Edit Session::setting(std::int64_t layer, std::string_view property, double value,
                            edit::Edit otherwise) const {
    const scene::Track* track = interaction::trackOf(*document.scene(), layer, property);
    if (!track || track->keys.empty() || track->link) return otherwise;
    edit::Edit edit = {
        {"edit", "key"}, {"property", property}, {"time", playhead.time().text()}, {"value", value}};
    if (layer != 0) edit["layers"] = {layer};
    return edit;
}

std::vector<std::int64_t> Session::movable() const {
    std::vector<std::int64_t> layers = selection.layers();
    std::erase_if(layers, [this](std::int64_t id) { return interaction::isLocked(now().find(id)); });
    return layers;
}

std::size_t Session::referenceMark() const {
    const auto& marks = document.scene()->camera.marks;
    const auto mark = std::find_if(marks.begin(), marks.end(),
                                   [this](const scene::Mark& each) { return each.id == m_reference; });
    return mark == marks.end() ? 0 : static_cast<std::size_t>(mark - marks.begin());
}

void Session::setReferenceMark(std::size_t mark) {
    m_reference = document.scene()->camera.marks.at(mark).id;
    Q_EMIT holdChanged();
}

edit::Edit Session::onSelection(std::string_view kind, const edit::Edit& more) const {
    edit::Edit edit = edit::onLayers(kind, movable(), more);
    edit["time"] = playhead.time().text();
    return edit;
}

void Session::tell(const Error& error) {
    if (!error.cancelled) Q_EMIT problem(QString::fromStdString(error.sentence));
}

bool Session::addLayers(const edit::Edit& edit) {
    const std::int64_t before = scene::highestId(*scene());
    if (!document.apply(edit)) return false;
    std::vector<std::int64_t> added;
    for (const scene::LayerPath& found : scene::all(*scene()))
        if (found.layer->id > before && (found.holders.empty() || found.holders.back()->id <= before))
            added.push_back(found.layer->id);
    selection.select(std::move(added));
    return true;
}

edit::Edit Session::push(const edit::Edit& how) const {
    return push(movable(), how);
}

edit::Edit Session::push(const std::vector<std::int64_t>& layers, const edit::Edit& how) const {
    edit::Edit edit = edit::onLayers("push", layers, how);
    edit["holdFraming"] = m_holdFraming;
    edit["mark"] = referenceMark() + 1;
    edit["time"] = playhead.time().text();
    return edit;
}

void Session::setWriting(bool writing) {
    m_writing += writing ? 1 : -1;
    Q_EMIT writingChanged();
}

void Session::setHoldFraming(bool hold) {
    m_holdFraming = hold;
    Q_EMIT holdChanged();
}

}
