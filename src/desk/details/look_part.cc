#include "desk/details/look_part.h"

#include <QCheckBox>
#include <QComboBox>
#include <QVBoxLayout>
#include <algorithm>

namespace stage::desk {

LookPart::LookPart(Session& session) : Part(session) {
    m_rows.layout()->setContentsMargins(0, 8, 0, 0); // it follows others in the same page
    m_rows.section(tr("Look"));
    m_rows.share(
        tr("Opacity"), percent(5), tr("0 to 100 percent"), [this] { return opacity(); },
        [this](double v) { setOpacity(std::clamp(v, 0.0, 1.0)); });
    QStringList blends;
    for (const std::string_view name : scene::blendNames)
        blends << QString::fromLatin1(name.data(), static_cast<qsizetype>(name.size()));
    m_rows.choice(
        tr("Blend"), blends, tr("How it is mixed with what lies behind it"), [this] { return blend(); },
        [this](int i) {
            applyToAll("look", {{"blend", scene::blendNames[static_cast<std::size_t>(i)]}});
        });
    const auto group = [this] { return content<scene::Group>(); };
    QCheckBox* inDepth = m_rows.tick(
        tr("Layers stay in depth"),
        tr("When the group is faded or blended: its layers stay in their depths; else they are mixed into "
           "one picture first"),
        [group] { return group() && group()->inDepth; },
        [this](bool on) {
            apply(edit::onLayers("look", m_session.movable(), {{"inDepth", on}}));
        });
    inDepth->setObjectName(QStringLiteral("inDepth"));
    m_rows.onRefresh([group, inDepth] { inDepth->setVisible(group() != nullptr); });
}

double LookPart::opacity() const {
    const auto& chosen = m_session.selection.layers();
    return chosen.size() == 1 ? m_session.now().find(chosen.front()).layer->opacity
                              : scene::find(*m_session.scene(), chosen.front()).layer->opacity;
}

void LookPart::setOpacity(double share) {
    const auto& chosen = m_session.selection.layers();
    const edit::Edit all = edit::onLayers("look", chosen, {{"opacity", share}});
    apply(chosen.size() == 1 ? m_session.setting(chosen.front(), "opacity", share, all) : all);
}

int LookPart::blend() const {
    const auto& chosen = m_session.selection.layers();
    const auto blendOf = [this](std::int64_t id) { return scene::find(*m_session.scene(), id).layer->blend; };
    const bool alike = std::all_of(chosen.begin(), chosen.end(),
                                   [&](std::int64_t id) { return blendOf(id) == blendOf(chosen.front()); });
    return alike ? static_cast<int>(blendOf(chosen.front())) : -1;
}

}
