#include "desk/time/pace_choice.h"

#include "scene/scene_json.h"

#include <algorithm>

namespace stage::desk {
namespace {

/// -1: none of those with a name.
int numberOf(const scene::Pace& pace) {
    const auto at = std::find_if(scene::namedPaces.begin(), scene::namedPaces.end(),
                                 [&](const auto& named) { return named.pace == pace; });
    return at == scene::namedPaces.end() ? -1 : static_cast<int>(at - scene::namedPaces.begin());
}

}

std::optional<PaceScope> paceAtTime(const scene::Scene& scene, double seconds) {
    const auto& marks = scene.camera.marks;
    if (marks.size() < 2) return {};
    if (scene.camera.pace)
        return PaceScope{true, 0, marks.front().time.toDouble(), marks.back().time.toDouble()};
    std::size_t move = 0;
    while (move + 2 < marks.size() && marks[move + 1].time.toDouble() <= seconds + 1e-9)
        ++move;
    return PaceScope{false, move, marks[move].time.toDouble(), marks[move + 1].time.toDouble()};
}

const scene::Pace& paceOf(const scene::Camera& camera, const PaceScope& scope) {
    return scope.whole ? *camera.pace : camera.marks[scope.move].pace;
}

edit::Edit paceEdit(const PaceScope& scope, edit::Edit pace) {
    edit::Edit edit = {{"edit", "pace"}, {"pace", std::move(pace)}};
    if (scope.whole)
        edit["whole"] = true;
    else
        edit["mark"] = scope.move + 1;
    return edit;
}

edit::Edit wholePaceEdit(const scene::Scene& scene, double seconds, bool whole) {
    edit::Edit pace = nullptr;
    if (whole) {
        const auto scope = paceAtTime(scene, seconds);
        pace = scope ? scene::toJson(paceOf(scene.camera, *scope)) : edit::Edit("even");
    }
    return {{"edit", "pace"}, {"whole", true}, {"pace", std::move(pace)}};
}

QString paceName(const scene::Pace& pace) {
    if (const int i = numberOf(pace); i >= 0) {
        const std::string_view name = scene::namedPaces[static_cast<std::size_t>(i)].name;
        return QString::fromLatin1(name.data(), static_cast<qsizetype>(name.size()));
    }
    return pace.drawn.empty() ? QObject::tr("own pace") : QObject::tr("drawn by hand");
}

PaceChoice::PaceChoice(Session& session, QWidget* parent) : QComboBox(parent), m_session(session) {
    setToolTip(tr("The pace at the playhead; one of your own is drawn on the paper of Pace"));
    for (const scene::NamedPace& named : scene::namedPaces)
        addItem(paceName(named.pace));
    setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
    setMinimumContentsLength(8);
    connect(this, &QComboBox::activated, this, [this](int i) {
        if (const auto scope = paceAtTime(*m_session.scene(), m_session.time().toDouble()))
            m_session.apply(paceEdit(*scope, scene::namedPaces[static_cast<std::size_t>(i)].name));
        refresh(); // also when it was refused
    });
    refresh();
}

void PaceChoice::refresh() {
    const scene::Camera& camera = m_session.scene()->camera;
    const auto scope = paceAtTime(*m_session.scene(), m_session.time().toDouble());
    setEnabled(scope.has_value());
    setPlaceholderText(scope ? paceName(paceOf(camera, *scope)) : QStringLiteral("–"));
    setCurrentIndex(scope ? numberOf(paceOf(camera, *scope)) : -1);
}

}
