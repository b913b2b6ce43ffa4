#include "desk/details/air_part.h"

#include "desk/details/point_curve.h"
#include "desk/kit/form.h"
#include "scene/air_json.h"
#include "scene/cutout_json.h"
#include "scene/scene_json.h"

#include <QCheckBox>
#include <QComboBox>
#include <QLabel>
#include <QMenu>
#include <QPushButton>
#include <QToolButton>
#include <QVBoxLayout>
#include <algorithm>
#include <cmath>

namespace stage::desk {
namespace {

/// What an edit takes of the points that a curve shows.
scene::Json jsonOf(const std::vector<scene::Particles::Point>& points) {
    scene::Json json = scene::Json::array();
    for (const auto& point : points)
        json.push_back({point.at, point.value});
    return json;
}

scene::Json seconds(double v) {
    return Rational::nearest(std::clamp(v, 0.0, 1e6)).text();
}

void addBoxRows(Rows& rows, const QStringList& names, const std::function<V3d()>& now,
                const std::function<void(const V3d&)>& set) {
    for (int axis = 0; axis < 3; ++axis)
        rows.number(
            names[axis], metres(0.1), QObject::tr("At scale 1"), [now, axis] { return now()[axis]; },
            [now, set, axis](double v) {
                V3d box = now();
                box[axis] = std::clamp(v, 1e-6, 1e7);
                set(box);
            });
}

}

// ---- particles

ParticlesPart::ParticlesPart(Session& session) : Part(session) {
    addLook();
    addLife();
    addBox();
    addMotion();
    addTurning();
    addChance();
}

void ParticlesPart::change(const scene::Json& members, bool settled) {
    if (!particles()) return;
    scene::Json edit = {{"edit", "particles"}, {"layers", {layer()->id}}};
    edit.update(members);
    if (!settled) {
        m_session.document.preview(edit);
        return;
    }
    m_session.document.dropPreview();
    apply(edit);
}

void ParticlesPart::number(const QString& name, const NumberStyle& style, const QString& tip,
                           const char* member, double scene::Particles::*value, double low, double high) {
    m_rows.number(
        name, style, tip, [this, value] { return particles()->*value; },
        [this, member, low, high](double v) {
            change({{member, std::clamp(v, low, high)}});
        });
}

void ParticlesPart::share(const QString& name, const QString& tip, const char* member,
                          double scene::Particles::*value, double high) {
    m_rows.share(
        name, percent(5), tip, [this, value] { return particles()->*value; },
        [this, member, high](double v) {
            change({{member, std::clamp(v, 0.0, high)}});
        });
}

void ParticlesPart::vector(const QString& name, const QString& tip, const char* member,
                           V3d scene::Particles::*value) {
    const QString along[] = {tr("%1 right"), tr("%1 up"), tr("%1 forward")};
    for (int axis = 0; axis < 3; ++axis) {
        const double sign = axis == 2 ? -1 : 1; // away from the camera is forward
        m_rows.number(
            along[axis].arg(name), plain(tr("m/s"), 2, 0.1), tip,
            [this, value, axis, sign] { return sign * (particles()->*value)[axis]; },
            [this, value, axis, sign, member](double v) {
                if (!particles()) return;
                V3d next = particles()->*value;
                next[axis] = std::clamp(sign * v, -1e5, 1e5);
                change({{member, scene::toJson(next)}});
            });
    }
}

void ParticlesPart::addLook() {
    m_rows.section(tr("Particles"));
    m_rows.number(
        tr("Count"), plain({}, 0, 50), tr("In the box at any time; at most 20 000"),
        [this] { return static_cast<double>(particles()->count); },
        [this](double v) {
            change(
                {{"count", static_cast<int>(std::clamp(std::round(v), 1.0, 1.0 * scene::Particles::most))}});
        });
    m_rows.reading(tr("New ones"), tr("As many come each second as go"),
                   [this] { return tr("%1 per s").arg(particles()->count / particles()->life, 0, 'f', 1); });
    number(tr("Size"), {scene::Measured::Length, QStringLiteral("m"), 4, 0.002}, tr("Across"), "size",
           &scene::Particles::size, 1e-6, 1e7);
    share(tr("Sizes differ"), tr("By chance so much larger or smaller, at most"), "sizeSpread",
          &scene::Particles::sizeSpread);
    m_rows.choice(
        tr("Shape"), {tr("disc"), tr("soft disc"), tr("crystal"), tr("leaf"), tr("ring")},
        tr("What each shows, where no layers are chosen"),
        [this] { return static_cast<int>(particles()->shape); },
        [this](int i) {
            change({{"shape", scene::particleShapeNames[static_cast<std::size_t>(i)]}});
        });
    auto* pictures = new QPushButton;
    auto* menu = new QMenu(pictures);
    pictures->setMenu(menu);
    pictures->setToolTip(
        tr("Each shows one of the layers that are ticked, by chance; hide those layers themselves"));
    connect(menu, &QMenu::aboutToShow, this, [this, menu] { fillPictures(menu); });
    line(m_rows.layout(), tr("Shows layers"), pictures, 118);
    m_rows.onRefresh([this, pictures] {
        const auto count = static_cast<int>(particles()->pictures.size());
        pictures->setText(count == 0 ? tr("none") : tr("%n layer(s)", nullptr, count));
    });
    m_rows.colour(
        tr("Colour"), [this] { return particles()->colour; },
        [this](const scene::Colour& colour) {
            change({{"colour", scene::toJson(colour)}});
        });
    number(tr("Light"), plain(tr("times"), 2, 0.25),
           tr("How many times as bright as their colour; blend Add makes them shine"), "light",
           &scene::Particles::light, 0, 1e4);
}

void ParticlesPart::fillPictures(QMenu* menu) {
    menu->clear();
    if (!particles()) return;
    const auto& chosen = particles()->pictures;
    int offered = 0;
    for (const scene::LayerPath& found : scene::all(*m_session.scene())) {
        const scene::Layer& each = *found.layer;
        if (each.group() || each.box() || ++offered > 200) continue;
        QAction* action = menu->addAction(QString::fromStdString(each.name));
        action->setCheckable(true);
        action->setChecked(std::find(chosen.begin(), chosen.end(), each.id) != chosen.end());
        connect(action, &QAction::triggered, this, [this, id = each.id](bool on) {
            if (!particles()) return;
            std::vector<std::int64_t> next = particles()->pictures;
            std::erase(next, id);
            if (on && next.size() < scene::Particles::mostPictures) next.push_back(id);
            change({{"pictures", next}});
        });
    }
    if (offered == 0) menu->addAction(tr("There is no picture"))->setEnabled(false);
}

void ParticlesPart::addLife() {
    m_rows.section(tr("Over their life"));
    number(tr("Life"), plain(tr("s"), 2, 0.5), tr("How long each lives, seconds"), "life",
           &scene::Particles::life, 0.01, 1e6);
    share(tr("Lives differ"), tr("By chance so much longer or shorter, at most"), "lifeSpread",
          &scene::Particles::lifeSpread, 0.99);
    const auto curve = [this](const QString& name, double high, const char* member,
                              std::vector<scene::Particles::Point> scene::Particles::*points) {
        PointCurve::Style style;
        style.tip = tr("%1, from birth to death. Drag points; a double click adds one, and one that is "
                       "dragged out is taken off")
                        .arg(name);
        style.high = high;
        style.usual = {{0, 1}, {1, 1}};
        style.most = scene::Particles::mostPoints;
        auto* drawn = new PointCurve(name, style);
        auto* label = new QLabel(name);
        label->setObjectName(QStringLiteral("dim"));
        m_rows.layout()->addWidget(label);
        m_rows.layout()->addWidget(drawn);
        connect(drawn, &PointCurve::changed, this,
                [this, member](const std::vector<scene::Particles::Point>& next, bool settled) {
                    change({{member, jsonOf(next)}}, settled);
                });
        m_rows.onRefresh([this, drawn, points] { drawn->setPoints(particles()->*points); });
    };
    curve(tr("Opacity"), 1, "opacities", &scene::Particles::opacities);
    curve(tr("Size, up to twice"), 2, "sizes", &scene::Particles::sizes);
    auto* label = new QLabel(tr("Colour"));
    label->setObjectName(QStringLiteral("dim"));
    m_rows.layout()->addWidget(label);
    auto* gradient = new LifeGradient(tr("Colour"));
    m_rows.layout()->addWidget(gradient);
    connect(gradient, &LifeGradient::changed, this,
            [this](const std::vector<scene::ColourStop>& stops, bool settled) {
                change({{"colours", scene::stopsToJson(stops)}}, settled);
            });
    m_rows.onRefresh([this, gradient] { gradient->setStops(particles()->colours); });
}

void ParticlesPart::addBox() {
    m_rows.section(tr("Box"));
    addBoxRows(
        m_rows, {tr("Box width"), tr("Box height"), tr("Box depth")}, [this] { return particles()->box; },
        [this](const V3d& box) {
            change({{"box", scene::toJson(box)}});
        });
    m_rows.tick(
        tr("Goes with the camera"),
        tr("From where it stands at the first mark; what drifts in it stays behind and comes in again in "
           "front"),
        [this] { return particles()->aroundCamera; },
        [this](bool on) {
            change({{"aroundCamera", on}});
        });
}

void ParticlesPart::addMotion() {
    m_rows.section(tr("Drift"));
    vector(tr("Goes"), tr("As they begin"), "velocity", &scene::Particles::velocity);
    share(tr("Speeds differ"), tr("By chance so much faster or slower, at most"), "speedSpread",
          &scene::Particles::speedSpread);
    number(tr("Ways differ"), degrees(5), tr("By chance so far off that way, at most; 180: everywhere"),
           "directionSpread", &scene::Particles::directionSpread, 0, 180);
    vector(tr("Wind"), tr("On top of it, the same for all"), "wind", &scene::Particles::wind);
    number(tr("Falls"), plain(tr("m/s²"), 2, 0.5), tr("Gravity; below 0 they rise"), "gravity",
           &scene::Particles::gravity, -1000, 1000);
    const auto turbulence = [this](const QString& name, const NumberStyle& style, const QString& tip,
                                   const char* member, double scene::Turbulence::*value, double low,
                                   double high) {
        m_rows.number(
            name, style, tip, [this, value] { return particles()->turbulence.*value; },
            [this, member, low, high](double v) {
                change({{"turbulence", {{member, std::clamp(v, low, high)}}}});
            });
    };
    turbulence(tr("Turbulence"), metres(0.05), tr("How far eddies carry them"), "amount",
               &scene::Turbulence::amount, 0, 1e7);
    turbulence(tr("Its size"), metres(0.1), tr("Over so far they move alike"), "size",
               &scene::Turbulence::size, 1e-6, 1e7);
    turbulence(tr("Its change"), plain(tr("per s"), 2, 0.1), tr("How often eddies are others"), "change",
               &scene::Turbulence::change, 0, 100);
}

void ParticlesPart::addTurning() {
    m_rows.section(tr("Turning"));
    m_rows.choice(
        tr("Faces"), {tr("the camera"), tr("along its way"), tr("all ways, tumbling")},
        tr("How each stands in space"), [this] { return static_cast<int>(particles()->facing); },
        [this](int i) {
            change({{"facing", scene::particleFacingNames[static_cast<std::size_t>(i)]}});
        });
    number(tr("Spin"), plain(tr("°/s"), 0, 10), tr("Either way round, by chance"), "spin",
           &scene::Particles::spin, 0, 36'000);
    share(tr("Spins differ"), tr("By chance so much faster or slower, at most"), "spinSpread",
          &scene::Particles::spinSpread);
    number(tr("Flutter"), degrees(5), tr("To and fro, so far either way"), "flutter",
           &scene::Particles::flutter, 0, 360);
    number(tr("Its rate"), plain(tr("per s"), 2, 0.1), tr("How often they swing"), "flutterRate",
           &scene::Particles::flutterRate, 0, 100);
}

void ParticlesPart::addChance() {
    m_rows.section(tr("Chance"));
    m_rows.number(
        tr("Loop"), plain(tr("s"), 2, 1), tr("Seconds after which all is as it was; 0: never"),
        [this] { return particles()->loop.toDouble(); },
        [this](double v) {
            change({{"loop", seconds(v)}});
        });
    m_rows.number(
        tr("Seed"), plain({}, 0, 1), tr("Another number gives other particles"),
        [this] { return static_cast<double>(particles()->seed); },
        [this](double v) {
            change({{"seed", std::llround(std::clamp(v, -1e9, 1e9))}});
        });
}

// ---- clouds

CloudPart::CloudPart(Session& session) : Part(session) {
    m_rows.section(tr("Cloud"));
    number(tr("Density"), plain(tr("per m"), 3, 0.05),
           tr("How much of the light each metre of its densest parts takes"), "density",
           &scene::Cloud::density, 0, 1e6);
    share(tr("Coverage"), tr("How much of the box is cloud; 100 %: the same all over"), "coverage",
          &scene::Cloud::coverage);
    number(tr("Size"), metres(0.25), tr("Of its billows"), "size", &scene::Cloud::size, 1e-6, 1e7);
    share(tr("Detail"), tr("How much finer structure there is"), "detail", &scene::Cloud::detail);
    share(tr("Soft border"), tr("Share of half the box over which it thins out"), "border",
          &scene::Cloud::border);
    m_rows.colour(
        tr("Colour"), [this] { return cloud()->colour; },
        [this](const scene::Colour& colour) {
            change({{"colour", scene::toJson(colour)}});
        });
    m_rows.section(tr("Box"));
    addBoxRows(
        m_rows, {tr("Box width"), tr("Box height"), tr("Box depth")}, [this] { return cloud()->box; },
        [this](const V3d& box) {
            change({{"box", scene::toJson(box)}});
        });
    m_rows.tick(
        tr("Goes with the camera"),
        tr("From where it stands at the first mark; the cloud itself stays behind"),
        [this] { return cloud()->aroundCamera; },
        [this](bool on) {
            change({{"aroundCamera", on}});
        });
    m_rows.section(tr("Drift"));
    const QString along[] = {tr("Drifts right"), tr("Drifts up"), tr("Drifts forward")};
    for (int axis = 0; axis < 3; ++axis) {
        const double sign = axis == 2 ? -1 : 1;
        m_rows.number(
            along[axis], plain(tr("m/s"), 2, 0.1), tr("Through its box"),
            [this, axis, sign] { return sign * cloud()->drift[axis]; },
            [this, axis, sign](double v) {
                if (!cloud()) return;
                V3d next = cloud()->drift;
                next[axis] = std::clamp(sign * v, -1e5, 1e5);
                change({{"drift", scene::toJson(next)}});
            });
    }
    number(tr("Changes"), plain(tr("per s"), 3, 0.02), tr("How often its billows are others"), "change",
           &scene::Cloud::change, 0, 100);
    m_rows.number(
        tr("Loop"), plain(tr("s"), 2, 1), tr("Seconds after which it is as it was; 0: never"),
        [this] { return cloud()->loop.toDouble(); },
        [this](double v) {
            change({{"loop", seconds(v)}});
        });
    m_rows.number(
        tr("Seed"), plain({}, 0, 1), tr("Another number gives another cloud"),
        [this] { return static_cast<double>(cloud()->seed); },
        [this](double v) {
            change({{"seed", std::llround(std::clamp(v, -1e9, 1e9))}});
        });
}

void CloudPart::change(const scene::Json& members) {
    if (!cloud()) return;
    scene::Json edit = {{"edit", "cloud"}, {"layers", {layer()->id}}};
    edit.update(members);
    apply(edit);
}

void CloudPart::number(const QString& name, const NumberStyle& style, const QString& tip, const char* member,
                       double scene::Cloud::*value, double low, double high) {
    m_rows.number(
        name, style, tip, [this, value] { return cloud()->*value; },
        [this, member, low, high](double v) {
            change({{member, std::clamp(v, low, high)}});
        });
}

void CloudPart::share(const QString& name, const QString& tip, const char* member,
                      double scene::Cloud::*value) {
    m_rows.share(
        name, percent(5), tip, [this, value] { return cloud()->*value; },
        [this, member](double v) {
            change({{member, std::clamp(v, 0.0, 1.0)}});
        });
}

// ---- displaced pixels

DisplacementPart::DisplacementPart(Session& session) : Part(session) {
    using Kind = scene::DisplacementKind;
    m_rows.section(tr("Moving pixels"));
    m_which = m_rows.which(
        tr("A picture's pixels can be moved in several ways, one after the other"),
        [this] { return static_cast<int>(all().size()); }, [this] { refresh(); });
    m_rows.choice(
        tr("Kind"),
        {tr("still"), tr("ripple"), tr("waves"), tr("heat shimmer"), tr("sway"), tr("rolling water")},
        tr("Rings from a point; straight waves; air over heat; reeds and leaves that are held at the foot; "
           "water seen from above"),
        [this] { return chosen() ? static_cast<int>(chosen()->kind) + 1 : 0; },
        [this](int i) {
            if (i == 0) {
                std::vector<scene::Displacement> next = all();
                if (which() < next.size()) next.erase(next.begin() + static_cast<std::ptrdiff_t>(which()));
                set(next);
            } else {
                change([i](scene::Displacement& d) { d.kind = static_cast<Kind>(i - 1); });
            }
        });
    const auto number = [&](const QString& name, const NumberStyle& style, const QString& tip,
                            double scene::Displacement::*value, double low, double high,
                            std::function<bool(Kind)> only = {}) {
        NumberField* field = m_rows.number(
            name, style, tip, [this, value] { return (chosen() ? *chosen() : scene::Displacement{}).*value; },
            [this, value, low, high](double v) {
                change([&](scene::Displacement& d) { d.*value = std::clamp(v, low, high); });
            });
        m_only.emplace_back(field, std::move(only));
    };
    const QString px = tr("px");
    number(tr("Amount"), plain(px, 1, 1), tr("How far pixels are moved, at most"),
           &scene::Displacement::amount, 0, 10'000);
    number(tr("Size"), plain(px, 0, 10), tr("From crest to crest, or of what moves alike"),
           &scene::Displacement::size, 0.5, 1e6);
    number(tr("Rate"), plain(tr("per s"), 2, 0.1), tr("Crests that pass each second"),
           &scene::Displacement::rate, 0, 100);
    number(tr("Direction"), degrees(15), tr("0: to the right; 90: upwards"), &scene::Displacement::direction,
           -36'000, 36'000,
           [](Kind kind) { return kind == Kind::Waves || kind == Kind::Shimmer || kind == Kind::Sway; });
    number(tr("Fades over"), plain(px, 0, 20), tr("From the centre on; 0: it does not"),
           &scene::Displacement::fade, 0, 1e6, [](Kind kind) { return kind == Kind::Ripple; });
    addPlace();
    m_rows.number(
        tr("Loop"), plain(tr("s"), 2, 1), tr("Seconds after which it is as it was; 0: never"),
        [this] { return chosen() ? chosen()->loop.toDouble() : 0; },
        [this](double v) {
            change([&](scene::Displacement& d) { d.loop = Rational::nearest(std::clamp(v, 0.0, 1e6)); });
        });
    m_rows.onRefresh([this] {
        for (const auto& [field, only] : m_only)
            field->setEnabled(chosen() && (!only || only(chosen()->kind)));
    });
}

void DisplacementPart::addPlace() {
    using Kind = scene::DisplacementKind;
    const auto share = [&](const QString& name, const QString& tip,
                           std::function<double&(scene::Displacement&)> of, std::function<bool(Kind)> only) {
        NumberField* field = m_rows.share(
            name, percent(1), tip,
            [this, of] {
                scene::Displacement now = chosen() ? *chosen() : scene::Displacement{};
                return of(now);
            },
            [this, of](double v) {
                change([&](scene::Displacement& d) { of(d) = std::clamp(v, -10.0, 10.0); });
            });
        m_only.emplace_back(field, std::move(only));
    };
    const auto rings = [](Kind kind) { return kind == Kind::Ripple; };
    share(
        tr("Centre across"), tr("Of the picture's width"),
        [](scene::Displacement& d) -> double& { return d.centre.x; }, rings);
    share(
        tr("Centre down"), tr("Of the picture's height"),
        [](scene::Displacement& d) -> double& { return d.centre.y; }, rings);
    share(
        tr("Foot"), tr("How far down the picture it is held"),
        [](scene::Displacement& d) -> double& { return d.foot; },
        [](Kind kind) { return kind == Kind::Sway; });
    auto* where = m_rows.choice(
        tr("Where"), {tr("everywhere"), tr("as its mattes say")},
        tr("Everywhere, or only where the mattes of its cut-out are now"),
        [this] { return chosen() && !chosen()->where.empty() ? 1 : 0; },
        [this](int i) {
            const auto only = layer();
            if (!only) return;
            if (i == 1 && (!only->cutout || only->cutout->mattes.empty())) {
                Q_EMIT m_session.said(tr("It has no mattes: draw where it shall move in Cut out first."));
                m_rows.refresh();
                return;
            }
            change([&](scene::Displacement& d) {
                d.where = i == 0 ? std::vector<scene::Matte>{} : only->cutout->mattes;
            });
        });
    m_only.emplace_back(where, nullptr);
}

bool DisplacementPart::applies() const {
    const auto only = layer();
    return only && !only->group() && !only->box();
}

const std::vector<scene::Displacement>& DisplacementPart::all() const {
    static const std::vector<scene::Displacement> none;
    const auto only = layer();
    return only ? m_session.selection.only().layer->displacements : none;
}

std::size_t DisplacementPart::which() const {
    return static_cast<std::size_t>(std::max(0, m_which->currentIndex()));
}

const scene::Displacement* DisplacementPart::chosen() const {
    const auto& list = all();
    return which() < list.size() ? &list[which()] : nullptr;
}

void DisplacementPart::change(const std::function<void(scene::Displacement&)>& how) {
    if (!layer()) return;
    std::vector<scene::Displacement> next = all();
    if (which() >= next.size()) next.emplace_back();
    how(next[std::min(which(), next.size() - 1)]);
    set(next);
}

void DisplacementPart::set(const std::vector<scene::Displacement>& displacements) {
    if (!layer()) return;
    apply({{"edit", "displace"}, {"layers", {layer()->id}}, {"displacements", scene::toJson(displacements)}});
}

}
