#include "desk/commands/view_commands.h"

#include "desk/camera/camera_view.h"
#include "desk/dialogs/settings_dialog.h"
#include "desk/kit/panes.h"
#include "desk/kit/question.h"
#include "desk/kit/settings.h"
#include "desk/session/findings.h"
#include "desk/set/draft_view.h"
#include "desk/set/ladder.h"
#include "desk/set/model_view.h"

#include <QActionGroup>
#include <QFileDialog>

namespace stage::desk {

ViewCommands::ViewCommands(const CommandContext& context, QMenu* menu, std::function<void(bool)> showTimes)
    : CommandGroup(context) {
    addPanes(menu);
    menu->addSeparator();
    addSwitches(menu);
    addLooks(menu->addMenu(tr("Look at the model")));
    addGuides(menu->addMenu(tr("Guides")));
    menu->addSeparator();
    add(menu, "memory", tr("Memory for pictures…"), "", {}, [this] { askMemory(); });
    addSwitch(menu, "times", tr("Show where time goes"), "",
              tr("What pictures spent their time on in the last second, in the line at the bottom"), false,
              std::move(showTimes));
}

void ViewCommands::addPanes(QMenu* menu) {
    const char* const layouts[] = {QT_TR_NOOP("One pane"), QT_TR_NOOP("Two panes"), QT_TR_NOOP("Three panes"),
                                   QT_TR_NOOP("Four panes")};
    for (int count = 1; count <= 4; ++count) {
        const std::string number = std::to_string(count);
        add(menu, ("panes-" + number).c_str(), tr(layouts[count - 1]), ("Ctrl+" + number).c_str(),
            tr("Each layout remembers its views and sizes"),
            [this, count] { m_views.panes->setCount(count); });
    }
    const struct {
        const char *name, *text, *keys;
        Panes::View view;
    } views[] = {{"show-camera", QT_TR_NOOP("Show Camera"), "F5", Panes::View::Camera},
                 {"show-plan", QT_TR_NOOP("Show Plan"), "F6", Panes::View::Plan},
                 {"show-section", QT_TR_NOOP("Show Section"), "F7", Panes::View::Section},
                 {"show-model", QT_TR_NOOP("Show Model"), "F8", Panes::View::Model},
                 {"show-curves", QT_TR_NOOP("Show Curves"), "F9", Panes::View::Curves},
                 {"show-scopes", QT_TR_NOOP("Show Scopes"), "Shift+F9", Panes::View::Scopes}};
    for (const auto& each : views)
        add(menu, each.name, tr(each.text), each.keys, tr("In the last pane, unless it is there already"),
            [this, view = each.view] { m_views.panes->reveal(view); });
}

void ViewCommands::addSwitches(QMenu* menu) {
    add(menu, "fit-all", tr("Fit all"), "F", tr("Every view shows all of it"), [this] { m_views.fitAll(); });
    add(menu, "fit-selection", tr("Fit the selection"), "Ctrl+Shift+F", {},
        [this] { m_views.fitSelection(); });
    DraftView* plan = m_views.plan;
    QAction* folded = addSwitch(menu, "fold-far", tr("Fold what is far"), "D",
                                tr("In Plan and Section; sight lines stay straight. Off: depth to scale"),
                                plan->folded(), [this, plan](bool on) {
                                    if (on != plan->folded()) m_views.setFolded(on);
                                });
    connect(plan, &DraftView::scaleChanged, folded, [plan, folded] { folded->setChecked(plan->folded()); });
    CameraView* camera = m_views.camera;
    addSwitch(menu, "refine", tr("Refine what stands still"), "Shift+R",
              tr("The Camera view goes on to the final picture, piece by piece, with the shutter open"),
              camera->picture().refining(), [camera](bool on) { camera->picture().setRefining(on); });
    Ladder* ladder = m_views.ladder;
    QAction* list =
        addSwitch(menu, "list", tr("Compact list of layers"), "L", tr("In place of the ladder, for many"),
                  ladder->listing(), [ladder](bool on) { ladder->setListing(on); });
    connect(ladder, &Ladder::listingChanged, list, &QAction::setChecked);
}

void ViewCommands::addLooks(QMenu* menu) {
    const auto look = [&](const char* name, const QString& text, ModelView::Look from) {
        add(menu, name, text, "", {}, [this, from] {
            m_views.panes->reveal(Panes::View::Model);
            m_views.model->lookFrom(from);
        });
    };
    look("model-free", tr("From aside and above"), ModelView::Look::Free);
    look("model-front", tr("From the front"), ModelView::Look::Front);
    look("model-side", tr("From the side"), ModelView::Look::Side);
    look("model-above", tr("From above"), ModelView::Look::Above);
}

void ViewCommands::addGuides(QMenu* menu) {
    CameraView* camera = m_views.camera;
    const QString tip = tr("Drag it; dragged out of the frame it is gone");
    add(menu, "guide-upright", tr("Add an upright guide"), "", tip,
        [camera] { camera->addGuide(true, camera->frameRect().center()); });
    add(menu, "guide-level", tr("Add a level guide"), "", tip,
        [camera] { camera->addGuide(false, camera->frameRect().center()); });
    add(menu, "guides-none", tr("Remove all guides"), "", {}, [this] {
        apply({{"edit", "guides"}, {"guides", edit::Edit::array()}});
    });
}

void ViewCommands::askMemory() {
    const int now = static_cast<int>(m_session.sources().budget() >> 20);
    const auto megabytes =
        askForNumber(m_window, tr("Memory for pictures"),
                     tr("MB kept for pictures, clips and what is made of them.\n0: a quarter of this "
                        "machine's memory."),
                     now, {0, 1 << 24, 256});
    if (!megabytes) return;
    settings().setValue(QStringLiteral("pictureMegabytes"), *megabytes);
    m_session.sources().setBudget(static_cast<std::size_t>(*megabytes) << 20);
}

CheckCommands::CheckCommands(const CommandContext& context, QMenu* menu, Findings& findings,
                             std::function<void()> showFindings)
    : CommandGroup(context) {
    add(menu, "findings", tr("Findings"), "F10", tr("With a fix for each"), std::move(showFindings));
    add(menu, "next-finding", tr("Next finding"), "Shift+F10", tr("Goes there"), [this, &findings] {
        if (const checks::Finding* finding = findings.goToNext())
            Q_EMIT m_session.problem(QString::fromStdString(finding->sentence));
        else
            say(tr("Nothing was found."));
    });
    menu->addSeparator();
    addComparison(menu->addMenu(tr("Compare with the flat picture")));
    add(menu, "check-limits", tr("Limits…"), "", tr("Above what the checks tell it"), [this] {
        if (const auto edit = askCheckLimits(m_window, *m_session.scene())) apply(*edit);
    });
    addRigs(menu->addMenu(tr("Camera is carried by")));
    QAction* loop =
        add(menu, "loops", tr("Loop"), "", tr("The end of the scene should meet its beginning"), [this] {
            apply({{"edit", "settings"}, {"loop", !m_session.scene()->output.loop}});
        });
    loop->setCheckable(true);
    connect(&m_session.document, &Document::sceneChanged, loop,
            [this, loop] { loop->setChecked(m_session.scene()->output.loop); });
    QAction* seen =
        add(menu, "background-seen", tr("Background is meant to show"), "",
            tr("Where no layer fills the frame, that is no finding"), [this] {
                apply({{"edit", "settings"}, {"backgroundSeen", !m_session.scene()->output.backgroundSeen}});
            });
    seen->setCheckable(true);
    connect(&m_session.document, &Document::sceneChanged, seen,
            [this, seen] { seen->setChecked(m_session.scene()->output.backgroundSeen); });
}

void CheckCommands::addComparison(QMenu* menu) {
    using Show = FlatPicture::Show;
    FlatPicture& flat = m_views.camera->flat();
    auto* group = new QActionGroup(this);
    const auto entry = [&](const char* name, const QString& text, const QString& tip, Show show) {
        QAction* action = add(menu, name, text, "", tip, [&flat, show] { flat.setShow(show); });
        action->setCheckable(true);
        group->addAction(action);
        connect(&flat, &FlatPicture::changed, action,
                [&flat, action, show] { action->setChecked(flat.show() == show); });
        action->setChecked(flat.show() == show);
    };
    entry("compare-off", tr("Off"), tr("The staged picture"), Show::Staged);
    entry("compare-wipe", tr("Wipe"), tr("Flat left of a line that is dragged, staged right of it"),
          Show::Wipe);
    entry("compare-flat", tr("Flat"), tr("The layers as mark 1 sees them, all sharp, without air"),
          Show::Flat);
    entry("compare-difference", tr("Difference, %1 times").arg(FlatPicture::amplified),
          tr("Dark is the same in both"), Show::Difference);
    menu->addSeparator();
    add(menu, "compare-swap", tr("Swap flat and staged"), "Y", tr("Back and forth"),
        [&flat] { flat.setShow(flat.show() == Show::Flat ? Show::Staged : Show::Flat); });
    add(menu, "compare-picture", tr("Against a picture…"), "",
        tr("Such as the photograph it came from, instead of the layers as mark 1 sees them"), [this, &flat] {
            const QString file = QFileDialog::getOpenFileName(m_window, tr("The flat picture"));
            if (file.isEmpty()) return;
            flat.setPicture(file.toStdString());
            if (flat.show() == Show::Staged) flat.setShow(Show::Wipe);
        });
    add(menu, "compare-layers", tr("Against the layers"), "", tr("As mark 1 sees them"),
        [&flat] { flat.setPicture({}); });
}

void CheckCommands::addRigs(QMenu* menu) {
    auto* group = new QActionGroup(this);
    const char* const names[] = {QT_TR_NOOP("A hand: 1.5 m/s, 90 °/s"), QT_TR_NOOP("A dolly: 2 m/s, 45 °/s"),
                                 QT_TR_NOOP("A crane: 3 m/s, 30 °/s"), QT_TR_NOOP("A drone: 15 m/s, 60 °/s")};
    for (std::size_t i = 0; i < scene::rigNames.size(); ++i) {
        const std::string command = "rig-" + std::string(scene::rigNames[i]);
        QAction* action = add(menu, command.c_str(), tr(names[i]), "", {}, [this, i] {
            apply({{"edit", "lens"}, {"rig", scene::rigNames[i]}});
        });
        action->setCheckable(true);
        group->addAction(action);
        const auto check = [this, action, i] {
            action->setChecked(m_session.scene()->camera.rig == static_cast<scene::Rig>(i));
        };
        connect(&m_session.document, &Document::sceneChanged, action, check);
        check();
    }
}

}
