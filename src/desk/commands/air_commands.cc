#include "desk/commands/air_commands.h"

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
        whenMovable([this] { apply(edit::onLayers("shading", m_session.movable())); }));
    menu->addSeparator();
    add(menu, "over-black", tr("Take as over black…"), "",
        tr("Smoke, fog, fire or dust on black: as light or as a veil, looped without a jump, filling the "
           "frame"),
        whenMovable([this] { overBlack(); }));
    add(menu, "cover-frame", tr("Fill the frame over the move"), "",
        tr("The selected layers become as large as fills the frame over the whole move"),
        whenMovable([this] { apply(edit::onLayers("cover", m_session.movable())); }));
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
