#include "desk/details/shadow_part.h"

#include "desk/details/layer_choice.h"
#include "desk/kit/form.h"
#include "scene/finish_json.h"

#include <QPushButton>
#include <QVBoxLayout>
#include <algorithm>

namespace stage::desk {

ShadowPart::ShadowPart(Session& session) : Part(session) {
    m_rows.section(tr("Shadows"));
    m_which = m_rows.which(
        tr("A layer can throw several: of several lamps, on the ground and on other layers"),
        [this] { return static_cast<int>(all().size()); }, [this] { refresh(); });
    addLight();
    addLook();
    auto* add = new QPushButton(tr("Throw a shadow"));
    auto* off = new QPushButton(tr("Take this shadow off"));
    m_rows.layout()->addWidget(add);
    m_rows.layout()->addWidget(off);
    connect(add, &QPushButton::clicked, this, [this] { change([](scene::Shadow&) {}); });
    connect(off, &QPushButton::clicked, this, [this] {
        std::vector<scene::Shadow> shadows = all();
        if (const int at = m_which->currentIndex(); at >= 0 && at < static_cast<int>(shadows.size()))
            shadows.erase(shadows.begin() + at);
        set(shadows);
    });
    m_rows.onRefresh([this, add, off] {
        const bool there = m_which->currentIndex() < static_cast<int>(all().size());
        add->setVisible(!there);
        add->setEnabled(all().size() < scene::Shadow::most);
        off->setVisible(there);
    });
}

void ShadowPart::addLight() {
    auto* from = new LayerChoice({tr("a direction")}, false, [](const scene::Layer& layer) {
        return std::holds_alternative<scene::Lamp>(layer.content);
    });
    from->setObjectName(QStringLiteral("shadowFrom"));
    from->setToolTip(tr("The lamp that throws it, or light from a direction, as of the sun"));
    line(m_rows.layout(), tr("Shadow from"), from, 118);
    connect(from, &QComboBox::activated, this, [this, from](int i) {
        change([id = from->layerAt(i)](scene::Shadow& shadow) { shadow.from = id; });
    });
    auto* on =
        new LayerChoice({tr("the ground")}, false, [](const scene::Layer& layer) { return !layer.box(); });
    on->setObjectName(QStringLiteral("shadowOn"));
    on->setToolTip(tr("The ground plane, or the plane of a layer whose picture takes it"));
    line(m_rows.layout(), tr("Falls on"), on, 118);
    connect(on, &QComboBox::activated, this,
            [this, on](int i) { change([id = on->layerAt(i)](scene::Shadow& shadow) { shadow.on = id; }); });
    m_rows.onRefresh([this, from, on] {
        if (m_session.document.previewing()) return; // they do not change in a drag
        for (auto [choice, id] : {std::pair(from, chosen().from), std::pair(on, chosen().on)}) {
            choice->fill(*m_session.scene(), layer()->id);
            choice->show(id);
        }
    });
    const auto number = [this](const QString& name, const NumberStyle& style, const QString& tip,
                               double scene::Shadow::*value, double low, double high) {
        NumberField* field = m_rows.number(
            name, style, tip, [this, value] { return chosen().*value; },
            [this, value, low, high](double v) {
                change([&](scene::Shadow& shadow) { shadow.*value = std::clamp(v, low, high); });
            });
        m_rows.onRefresh([this, field] { field->setEnabled(chosen().from == 0); });
    };
    number(tr("Bearing"), degrees(5),
           tr("Where the light comes from: 0 from behind the set, 90 from the right"),
           &scene::Shadow::bearing, -36'000, 36'000);
    number(tr("Height of light"), degrees(5), tr("Of the light above the horizon"), &scene::Shadow::height,
           -90, 90);
    number(tr("Size of light"), degrees(0.5),
           tr("How large it is seen from the set; sun and moon: half a degree"), &scene::Shadow::across, 0,
           90);
}

void ShadowPart::addLook() {
    const auto share = [this](const QString& name, const QString& tip, double scene::Shadow::*value,
                              double high) {
        m_rows.share(
            name, percent(10), tip, [this, value] { return chosen().*value; },
            [this, value, high](double v) {
                change([&](scene::Shadow& shadow) { shadow.*value = std::clamp(v, 0.0, high); });
            });
    };
    share(tr("Darkness"), tr("How much light it takes; on a layer that takes light, of that lamp's alone"),
          &scene::Shadow::darkness, 1);
    m_rows.colour(
        tr("Colour of shadow"), [this] { return chosen().colour; },
        [this](const scene::Colour& colour) {
            change([&](scene::Shadow& shadow) { shadow.colour = colour; });
        });
    share(tr("Softness"), tr("Of what the size of the light gives"), &scene::Shadow::softness, 1000);
    share(tr("Contact"), tr("How dark it is where the layer meets the plane, whatever light there is"),
          &scene::Shadow::contact, 1);
    m_rows.number(
        tr("Contact reach"), metres(0.05), tr("Metres between layer and plane up to which it is darker"),
        [this] { return chosen().contactReach; },
        [this](double v) {
            change([&](scene::Shadow& shadow) { shadow.contactReach = std::clamp(v, 1e-4, 1e7); });
        });
}

bool ShadowPart::applies() const {
    const auto only = layer();
    return only && !only->group() && !only->box();
}

const std::vector<scene::Shadow>& ShadowPart::all() const {
    static const std::vector<scene::Shadow> none;
    return layer() ? m_session.selection.only().layer->shadows : none;
}

scene::Shadow ShadowPart::chosen() const {
    const auto at = static_cast<std::size_t>(std::max(0, m_which->currentIndex()));
    return at < all().size() ? all()[at] : scene::Shadow{};
}

void ShadowPart::change(const std::function<void(scene::Shadow&)>& how) {
    if (!layer()) return;
    std::vector<scene::Shadow> shadows = all();
    const auto at = static_cast<std::size_t>(std::max(0, m_which->currentIndex()));
    if (at >= shadows.size()) shadows.emplace_back();
    how(shadows[std::min(at, shadows.size() - 1)]);
    set(shadows);
}

void ShadowPart::set(const std::vector<scene::Shadow>& shadows) {
    if (layer()) apply({{"edit", "shadows"}, {"layers", {layer()->id}}, {"shadows", scene::toJson(shadows)}});
}

}
