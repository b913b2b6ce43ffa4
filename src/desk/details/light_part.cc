#include "desk/details/light_part.h"

#include "desk/details/layer_choice.h"
#include "desk/kit/form.h"
#include "scene/lamp_json.h"
#include "scene/scene_json.h"

#include <QCheckBox>
#include <QComboBox>
#include <algorithm>
#include <cmath>

namespace stage::desk {
// ---- lamps

LampPart::LampPart(Session& session) : Part(session) {
    m_rows.section(tr("Lamp"));
    number(tr("Strength"), plain(tr("stops"), 1, 0.5),
           tr("Its light at its radius; each stop is twice as much"), "strength", &scene::Lamp::strength, -20,
           40);
    m_rows.reading(tr("A metre away"), tr("Its light there; 1 shows a layer as it is"), [this] {
        return tr("%1 times")
            .arg(figure(std::exp2(lamp()->strength) * std::pow(std::min(1.0, lamp()->radius()), 2), 2));
    });
    m_rows.colour(
        tr("Colour"), [this] { return lamp()->colour; },
        [this](const scene::Colour& colour) {
            change({{"colour", scene::toJson(colour)}});
        });
    auto* warm = new QComboBox;
    const std::pair<QString, int> kelvins[] = {
        {tr("of a black body…"), 0},    {tr("1900 K, a candle"), 1900}, {tr("2700 K, a bulb"), 2700},
        {tr("4100 K, the moon"), 4100}, {tr("5600 K, daylight"), 5600}, {tr("9000 K, blue sky"), 9000}};
    for (const auto& [name, kelvin] : kelvins)
        warm->addItem(name, kelvin);
    line(m_rows.layout(), tr("Or that"), warm, 118);
    connect(warm, &QComboBox::activated, this, [this, warm](int i) {
        if (const int kelvin = warm->itemData(i).toInt(); kelvin > 0) change({{"kelvin", kelvin}});
        warm->setCurrentIndex(0);
    });
    m_rows.number(
        tr("Radius"), metres(0.01), tr("Of its body: up to there its light is the same"),
        [this] { return lamp()->radius(); },
        [this](double v) {
            change({{"radius", std::clamp(v, 1e-4, 1000.0)}});
        });
    number(tr("Reach"), metres(0.5), tr("Where its light ends"), "reach", &scene::Lamp::reach, 1e-3, 1e7);
    number(tr("Shows itself"), plain(tr("times"), 2, 0.1),
           tr("How bright its own disc is; 0: it is not seen"), "glow", &scene::Lamp::glow, 0, 1000);
    number(tr("Disc"), metres(0.05), tr("Across"), "glowSize", &scene::Lamp::glowSize, 1e-4, 1e7);
    m_rows.share(
        tr("Halo in haze"), percent(10), tr("How much the scene's haze shows of its light"),
        [this] { return lamp()->halo; },
        [this](double v) {
            change({{"halo", std::clamp(v, 0.0, 1000.0)}});
        });
}

void LampPart::change(const scene::Json& members) {
    if (!lamp()) return;
    scene::Json edit = {{"edit", "lamp"}, {"layers", {layer()->id}}};
    edit.update(members);
    apply(edit);
}

void LampPart::number(const QString& name, const NumberStyle& style, const QString& tip, const char* member,
                      double scene::Lamp::*value, double low, double high) {
    m_rows.number(
        name, style, tip, [this, value] { return lamp()->*value; },
        [this, member, low, high](double v) {
            change({{member, std::clamp(v, low, high)}});
        });
}

// ---- how a layer takes light

ShadingPart::ShadingPart(Session& session) : Part(session) {
    m_rows.section(tr("Light"));
    m_rows.tick(
        tr("Takes light"),
        tr("Of the scene's lamps, and its ambient light; else its colours show as they are"),
        [this] { return layer()->shading != nullptr; },
        [this](bool on) {
            change(on ? scene::Json::object() : scene::Json{{"remove", true}});
        });
    const auto share = [this](const QString& name, const QString& tip, const char* member,
                              double scene::Shading::*value) {
        m_rows.share(
            name, percent(10), tip, [this, value] { return shading().*value; },
            [this, member](double v) {
                change({{member, std::clamp(v, 0.0, 100.0)}});
            });
    };
    share(tr("In front"), tr("Of light that falls on the side that is seen"), "front",
          &scene::Shading::front);
    share(tr("Lets through"), tr("Of light that falls on the other side, as paper and leaves do"),
          "translucency", &scene::Shading::translucency);
    const auto edge = [this](const QString& name, const NumberStyle& style, const QString& tip,
                             const char* member, double scene::EdgeLight::*value, double low, double high,
                             bool asShare) {
        const auto now = [this, value] { return shading().edge.*value; };
        const auto set = [this, member, low, high](double v) {
            change({{"edge", {{member, std::clamp(v, low, high)}}}});
        };
        if (asShare)
            m_rows.share(name, style, tip, now, set);
        else
            m_rows.number(name, style, tip, now, set);
    };
    addNormals();
    edge(tr("Edge light"), percent(25), tr("The bright rim that a lamp behind it gives its cut edge"),
         "strength", &scene::EdgeLight::strength, 0, 1000, true);
    edge(tr("Its width"), plain(tr("px"), 1, 1), tr("Pixels of the picture from the edge"), "width",
         &scene::EdgeLight::width, 0.1, 1000, false);
    edge(tr("Roundness"), percent(5), tr("How far the edge turns away"), "roundness",
         &scene::EdgeLight::roundness, 0, 1, true);
}

void ShadingPart::addNormals() {
    auto* normals = new LayerChoice({tr("flat")}, false);
    normals->setToolTip(
        tr("A layer whose picture tells how each place is turned: its red is right, its green up, "
           "its blue towards the camera. Hide that layer itself"));
    line(m_rows.layout(), tr("Surface"), normals, 118);
    connect(normals, &QComboBox::activated, this, [this, normals](int i) {
        change({{"normals", normals->layerAt(i)}});
    });
    m_rows.onRefresh([this, normals] {
        if (m_session.document.previewing()) return;
        normals->fill(*m_session.scene(), layer()->id);
        normals->show(shading().normals);
    });
}

bool ShadingPart::applies() const {
    const auto only = layer();
    return only && !only->group() && !std::holds_alternative<scene::Lamp>(only->content);
}

const scene::Shading& ShadingPart::shading() const {
    static const scene::Shading usual;
    return layer() && layer()->shading ? *layer()->shading : usual;
}

void ShadingPart::change(const scene::Json& members) {
    if (!applies()) return;
    scene::Json edit = {{"edit", "shading"}, {"layers", {layer()->id}}};
    edit.update(members);
    apply(edit);
}

}
