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
        if (const auto scope =
                interaction::paceAtTime(*m_session.scene(), m_session.playhead.time().toDouble()))
            m_session.document.apply(
                interaction::paceEdit(*scope, scene::namedPaces[static_cast<std::size_t>(i)].name));
        refresh(); // also when it was refused
    });
    refresh();
}

void PaceChoice::refresh() {
    const scene::Camera& camera = m_session.scene()->camera;
    const auto scope = interaction::paceAtTime(*m_session.scene(), m_session.playhead.time().toDouble());
    setEnabled(scope.has_value());
    setPlaceholderText(scope ? paceName(interaction::paceOf(camera, *scope)) : QStringLiteral("–"));
    setCurrentIndex(scope ? numberOf(interaction::paceOf(camera, *scope)) : -1);
}

}
