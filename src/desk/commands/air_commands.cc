#include "desk/commands/air_commands.h"

#include "desk/jobs/background.h"
#include "motion/resolved_scene.h"
#include "render/match_place.h"
#include "scene/finish_json.h"
#include "scene/particles.h"

#include <QComboBox>
#include <QLabel>
#include <QPushButton>

namespace stage::desk {

AirCommands::AirCommands(const CommandContext& context, QMenu* menu) : CommandGroup(context) {
    const QString names[] = {tr("Snow"),      tr("Rain"),   tr("Dust"),    tr("Embers"),
                             tr("Fireflies"), tr("Leaves"), tr("Bubbles"), tr("Sparks")};
    std::size_t n = 0;
    for (const scene::ReadyParticles& ready : scene::readyParticles()) {
        const std::string name = "add-" + std::string(ready.name);
        add(menu, name.c_str(), names[n++], "",
            tr("Particles in a box of space, on their way at the first frame already"),
            [this, ready = std::string(ready.name)] {
                m_session.addLayers({{"edit", "add-particles"}, {"ready", ready}});
            });
    }
    menu->addSeparator();
    add(menu, "add-cloud", tr("Cloud"), "", tr("Fills a box of space; the camera can fly through"), [this] {
        m_session.addLayers({{"edit", "add-cloud"}});
    });
    add(menu, "add-veil", tr("Veil…"), "", tr("A colour at a depth that fills the frame over the whole move"),
        [this] { addVeil(); });
    menu->addSeparator();
    add(menu, "add-lamp", tr("Lamp"), "",
        tr("A light at a place; layers show it where their details say that they take light"), [this] {
            m_session.addLayers({{"edit", "add-lamp"}});
        });
    add(menu, "takes-light", tr("Takes light"), "", tr("The selected layers are lit by lamps"),
        whenMovable([this] { takeLight(); }));
    add(menu, "throws-shadow", tr("Throws a shadow"), "",
        tr("The selected layers throw one from the nearest lamp on what they stand on, or on the ground"),
        whenMovable([this] { throwShadow(); }));
    add(menu, "match-place", tr("Match to the place…"), "",
        tr("A layer's level and colour come to those of what stands around it, in its grade"),
        whenMovable([this] { matchPlace(); }));
    menu->addSeparator();
    add(menu, "over-black", tr("Take as over black…"), "",
        tr("Smoke, fog, fire or dust on black: as light or as a veil, looped without a jump, filling the "
           "frame"),
        whenMovable([this] { overBlack(); }));
    add(menu, "cover-frame", tr("Fill the frame over the move"), "",
        tr("The selected layers become as large as fills the frame over the whole move"),
        whenMovable([this] { apply(edit::onLayers("cover", m_session.movable())); }));
}

void AirCommands::takeLight() {
    std::vector<std::int64_t> ids = m_session.movable();
    std::erase_if(ids, [this](std::int64_t id) {
        const scene::LayerPtr layer = scene::find(*m_session.scene(), id).layer;
        return !layer || layer->group() || std::holds_alternative<scene::Lamp>(layer->content);
    });
    if (ids.empty())
        Q_EMIT m_session.problem(tr("Groups and lamps take no light themselves; select the layers in them."));
    else
        apply(edit::onLayers("shading", ids));
}

void AirCommands::throwShadow() {
    const motion::ResolvedScene now(*m_session.scene(), m_session.playhead.time(), m_session.camera.pose());
    std::vector<edit::Edit> edits;
    for (const std::int64_t id : m_session.movable()) {
        const scene::LayerPath& found = now.find(id);
        if (!found.layer || found.layer->group() || found.layer->box()) continue;
        scene::Shadow shadow;
        double nearest = 1e300;
        for (const scene::LayerPath& other : now.all) {
            if (!std::holds_alternative<scene::Lamp>(other.layer->content) || !other.layer->visible) continue;
            const double away = (optics::pivotOf(other) - optics::pivotOf(found)).length();
            if (away < nearest) nearest = away, shadow.from = other.layer->id;
        }
        if (found.layer->standing) shadow.on = found.layer->standing->on;
        shadow.contact = 0.5;
        std::vector<scene::Shadow> shadows = scene::find(*m_session.scene(), id).layer->shadows;
        if (shadows.size() >= scene::Shadow::most) continue;
        shadows.push_back(shadow);
        edits.push_back({{"edit", "shadows"}, {"layers", {id}}, {"shadows", scene::toJson(shadows)}});
    }
    if (edits.empty()) {
        Q_EMIT m_session.problem(tr("Only pictures, footage, texts and cards throw shadows."));
        return;
    }
    if (apply(edit::several("Throw a shadow", edits)))
        say(tr("Softness, darkness and what it falls on are in the details, under Shadows."));
}

void AirCommands::matchPlace() {
    const auto ids = m_session.movable();
    if (ids.size() != 1) {
        Q_EMIT m_session.problem(tr("Select the one layer that is to be matched."));
        return;
    }
    Form form(m_window, tr("Match to the place"), tr("Match"));
    NumberField* strength = number(form, tr("Strength"), scene::Measured::Percent, QStringLiteral("%"), 0, 10,
                                   70, tr("How far its level and colour go to those around it"));
    auto* note =
        new QLabel(tr("Measured at the playhead, in the light of all lamps. It sets the exposure and the "
                      "slope of the layer's grade, where both can be changed."));
    note->setWordWrap(true);
    note->setObjectName(QStringLiteral("dim"));
    form.layout->addRow(note);
    double share = 0;
    const auto check = [&] {
        QString complaint;
        share = read(strength, complaint) / 100;
        if (complaint.isEmpty() && !(share >= 0 && share <= 1)) complaint = tr("The strength is 0 to 100 %.");
        return complaint;
    };
    if (!form.run(check)) return;
    inBackground<render::PlaceMatch>(
        m_window, tr("Measuring what is around it"),
        [scene = m_session.scene(), id = ids.front(), time = m_session.playhead.time(), share,
         cache = m_session.sharedSources()](const Progress& progress) {
            return render::matchToPlace(*scene, id, time, share, *cache, progress);
        },
        [this](const Result<render::PlaceMatch>& match) {
            if (!match) {
                if (!match.error().cancelled)
                    Q_EMIT m_session.problem(QString::fromStdString(match.error().sentence));
                return;
            }
            if (apply(edit::several("Match to the place", {match->edit})))
                say(tr("%1 stops brighter, in its grade.").arg(match->stops, 0, 'f', 2));
        });
}

void AirCommands::addVeil() {
    Form form(m_window, tr("Veil"), tr("Add veil"));
    NumberField* depth = number(form, tr("Depth"), scene::Measured::Length, QStringLiteral("m"), 2, 0.5,
                                m_session.scene()->homeDepth, tr("From the first mark, along its axis"));
    NumberField* opacity = number(form, tr("Opacity"), scene::Measured::Percent, QStringLiteral("%"), 0, 5,
                                  30, tr("How much of what is behind it takes"));
    auto* blend = new QComboBox;
    const std::vector<std::pair<QString, const char*>> blends = {{tr("over what is behind"), "normal"},
                                                                 {tr("adds light"), "add"},
                                                                 {tr("darkens (multiply)"), "multiply"},
                                                                 {tr("brightens (screen)"), "screen"}};
    for (const auto& [name, mode] : blends)
        blend->addItem(name, QString::fromLatin1(mode));
    form.layout->addRow(tr("Mixed"), blend);
    auto* note = new QLabel(tr("Its colour, or a gradient, is set in its details."));
    note->setObjectName(QStringLiteral("dim"));
    form.layout->addRow(note);
    const auto build = [&](QString& complaint) {
        return edit::Edit{{"edit", "add-veil"},
                          {"depth", read(depth, complaint)},
                          {"opacity", read(opacity, complaint) / 100},
                          {"blend", blend->currentData().toString().toStdString()}};
    };
    if (const auto edit = askEdit(form, *m_session.scene(), build, previewer())) m_session.addLayers(*edit);
}

void AirCommands::overBlack() {
    Form form(m_window, tr("Over black"), tr("Take so"));
    auto* as = new QComboBox;
    as->addItem(tr("light that is added"), QStringLiteral("light"));
    as->addItem(tr("light, softer (screen)"), QStringLiteral("screen"));
    as->addItem(tr("a veil: black is clear"), QStringLiteral("veil"));
    form.layout->addRow(tr("As"), as);
    auto* loop = new QComboBox;
    loop->addItems({tr("repeats, its end dissolved into its begin"), tr("as it is")});
    form.layout->addRow(tr("In time"), loop);
    auto* cover = new QComboBox;
    cover->addItems({tr("fills the frame over the move"), tr("as it is")});
    form.layout->addRow(tr("Size"), cover);
    const auto build = [&](QString&) {
        return edit::onLayers("over-black", m_session.movable(),
                              {{"as", as->currentData().toString().toStdString()},
                               {"loop", loop->currentIndex() == 0},
                               {"cover", cover->currentIndex() == 0}});
    };
    if (const auto edit = askEdit(form, *m_session.scene(), build, previewer())) apply(*edit);
}

}
