#include "desk/details/details_panel.h"

#include "desk/details/content_part.h"
#include "desk/details/field_row.h"
#include "desk/details/hanging_part.h"
#include "desk/details/time_part.h"
#include "desk/kit/form.h"
#include "desk/kit/gates.h"
#include "desk/look/theme.h"
#include "media/content.h"
#include "motion/measure.h"
#include "motion/resolved_scene.h"
#include "optics/lens.h"
#include "scene/scene_json.h"

#include <QAbstractItemView>
#include <QCheckBox>
#include <QColorDialog>
#include <QComboBox>
#include <QFontComboBox>
#include <QFontDatabase>
#include <QLabel>
#include <QPlainTextEdit>
#include <QPushButton>
#include <QScrollArea>
#include <QVBoxLayout>
#include <algorithm>
#include <cmath>

namespace stage::desk {
namespace {

QWidget* page(QVBoxLayout*& layout) {
    auto* widget = new QWidget;
    layout = new QVBoxLayout(widget);
    layout->setContentsMargins(12, 8, 12, 10);
    layout->setSpacing(4);
    return widget;
}

}

DetailsPanel::DetailsPanel(Session& session, QWidget* parent) : QWidget(parent), m_session(session) {
    auto* outer = new QVBoxLayout(this);
    outer->setContentsMargins(0, 0, 0, 0);
    auto* scroll = new QScrollArea;
    scroll->setWidgetResizable(true);
    scroll->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    auto* both = new QWidget;
    both->setObjectName(QStringLiteral("panel"));
    auto* stack = new QVBoxLayout(both);
    stack->setContentsMargins(0, 0, 0, 0);
    m_layerPage = makeLayerPage();
    m_cameraPage = makeCameraPage();
    stack->addWidget(m_layerPage);
    stack->addWidget(m_cameraPage);
    stack->addStretch();
    scroll->setWidget(both);
    outer->addWidget(scroll);
    m_settled.setSingleShot(true);
    m_settled.setInterval(40);
    connect(&m_settled, &QTimer::timeout, this, &DetailsPanel::measureTravel);
    const auto changed = [this] {
        refresh();
        m_settled.start();
    };
    connect(&m_session.document, &Document::sceneChanged, this, changed);
    connect(&m_session.selection, &Selection::layersChanged, this, changed);
    connect(&m_session.camera, &ShownCamera::changed, this, changed);
    m_session.playhead.beat().follow(this, Beat::Rank::Numbers, [this] { refresh(); });
    refresh();
}

QLabel* DetailsPanel::reading(QVBoxLayout* layout, const QString& name, const QString& tip) {
    auto* label = new QLabel;
    label->setObjectName(QStringLiteral("figure"));
    label->setToolTip(tip);
    line(layout, name, label, 0);
    return label;
}

QWidget* DetailsPanel::makeLayerPage() {
    QVBoxLayout* layout = nullptr;
    QWidget* widget = page(layout);
    using scene::Measured;
    m_missing = new QLabel;
    m_missing->setObjectName(QStringLiteral("warning"));
    m_missing->setWordWrap(true);
    layout->addWidget(m_missing);
    m_manyPart = makeManyPart();
    layout->addWidget(m_manyPart);
    m_onePart = new QWidget;
    auto* one = new QVBoxLayout(m_onePart);
    one->setContentsMargins(0, 0, 0, 0);
    one->setSpacing(4);
    section(one, tr("Placement"));
    m_depth = field(
        m_session, one, tr("Depth"), Measured::Length, QStringLiteral("m"), 2, 0.1,
        tr("Metres from the first mark along its viewing axis. Framing is held when Hold framing is on."));
    m_across = field(m_session, one, tr("Across"), Measured::Length, QStringLiteral("m"), 2, 0.05,
                     tr("Metres to the right of the world's origin, of the layer's centre"));
    m_height = field(m_session, one, tr("Up"), Measured::Length, QStringLiteral("m"), 2, 0.05,
                     tr("Metres above the ground, of the layer's centre"));
    m_width = field(m_session, one, tr("Width"), Measured::Length, QStringLiteral("m"), 2, 0.05,
                    tr("Metres. With the lock closed its height keeps the ratio"));
    m_layerHeight = field(m_session, one, tr("Height"), Measured::Length, QStringLiteral("m"), 2, 0.05,
                          tr("Metres. With the lock closed its width keeps the ratio"));
    m_locked = tick(one, tr("Width and height together"), true, tr("Scaling one scales the other"));
    m_turn = field(m_session, one, tr("Turn"), Measured::Angle, QStringLiteral("°"), 1, 1,
                   tr("Degrees around the upright axis"));
    m_lean = field(m_session, one, tr("Lean"), Measured::Angle, QStringLiteral("°"), 1, 1,
                   tr("Degrees around the axis across; positive leans the top back"));
    m_roll = field(m_session, one, tr("Roll"), Measured::Angle, QStringLiteral("°"), 1, 1,
                   tr("Degrees around the layer's own axis, counter-clockwise"));
    section(one, tr("Seen by the lens"));
    m_sizeInFrame = reading(one, tr("Size in frame"),
                            tr("Width and height of the box around its corners, in percent of the frame"));
    m_distance = reading(one, tr("Distance"), tr("From the camera at the playhead to the layer's centre"));
    m_enlargement = reading(one, tr("Enlargement"),
                            tr("Frame pixels per pixel of its picture; above 100 % it gets soft"));
    m_blur = reading(one, tr("Blur disc"),
                     tr("Diameter in px into which the lens blurs a point at its pivot, at the playhead"));
    m_travel = reading(one, tr("Travel"), tr("How far its centre moves in the frame over the whole move"));
    layout->addWidget(m_onePart);
    section(layout, tr("Look"));
    m_opacity = field(m_session, layout, tr("Opacity"), Measured::Percent, QStringLiteral("%"), 0, 5,
                      tr("0 to 100 percent"));
    m_blend = new QComboBox;
    for (const std::string_view name : scene::blendNames)
        m_blend->addItem(QString::fromLatin1(name.data(), static_cast<qsizetype>(name.size())));
    m_blend->setToolTip(tr("How it is mixed with what lies behind it"));
    line(layout, tr("Blend"), m_blend, 118);
    m_inDepth = tick(
        layout, tr("Layers stay in depth"), false,
        tr("When the group is faded or blended: its layers stay in their depths; else they are mixed into "
           "one picture first"));
    m_inDepth->setObjectName(QStringLiteral("inDepth"));
    connect(m_inDepth, &QCheckBox::clicked, this, [this](bool on) {
        m_session.document.apply(edit::onLayers("look", m_session.movable(), {{"inDepth", on}}));
    });

    m_textPart = new QWidget;
    auto* text = new QVBoxLayout(m_textPart);
    text->setContentsMargins(0, 0, 0, 0);
    text->setSpacing(4);
    section(text, tr("Text"));
    m_text = new QPlainTextEdit;
    m_text->setFixedHeight(48);
    m_text->setAccessibleName(tr("Text"));
    text->addWidget(m_text);
    m_font = new QFontComboBox;
    m_font->setMinimumWidth(0);
    m_font->setAccessibleName(tr("Font"));
    text->addWidget(m_font);
    m_style = new QComboBox;
    line(text, tr("Style"), m_style, 118);
    m_fill = new QPushButton;
    line(text, tr("Fill"), m_fill, 118);
    layout->addWidget(m_textPart);
    m_hanging = new HangingPart(m_session);
    layout->addWidget(m_hanging);
    m_time = new TimePart(m_session);
    layout->addWidget(m_time);
    m_content = new ContentPart(m_session);
    layout->addWidget(m_content);

    const auto layer = [this] { return m_session.selection.only().layer; };
    connect(m_depth, &NumberField::entered, this, [this](double v) {
        m_session.document.apply(m_session.push({{"depth", v}}));
    });
    const auto slideTo = [this](int axis, double v) {
        const scene::LayerPath found = m_session.selection.only();
        if (!found.layer) return;
        V3d by(0);
        by[axis] = v - optics::pivotOf(m_session.now().find(found.layer->id))[axis];
        m_session.document.apply(m_session.onSelection("slide", {{"by", {by.x, by.y, by.z}}}));
    };
    connect(m_across, &NumberField::entered, this, [slideTo](double v) { slideTo(0, v); });
    connect(m_height, &NumberField::entered, this, [slideTo](double v) { slideTo(1, v); });
    connect(m_width, &NumberField::entered, this, [this](double v) {
        const V2d now =
            motion::measureAt(m_session.now(), m_session.now().find(m_session.selection.layers().front()))
                .metres;
        if (now.x > 0) scaleTo(v / now.x, m_locked->isChecked() ? v / now.x : 1);
    });
    connect(m_layerHeight, &NumberField::entered, this, [this](double v) {
        const V2d now =
            motion::measureAt(m_session.now(), m_session.now().find(m_session.selection.layers().front()))
                .metres;
        if (now.y > 0) scaleTo(m_locked->isChecked() ? v / now.y : 1, v / now.y);
    });
    const auto turnTo = [this, layer](int axis, double v) {
        const auto l = layer();
        if (!l) return;
        V3d turn = m_session.placementNow(l->id).turn;
        turn[axis] = v;
        m_session.document.apply({{"edit", "place"},
                                  {"layer", l->id},
                                  {"turn", scene::toJson(turn)},
                                  {"time", m_session.playhead.time().text()}});
    };
    connect(m_turn, &NumberField::entered, this, [turnTo](double v) { turnTo(1, v); });
    connect(m_lean, &NumberField::entered, this, [turnTo](double v) { turnTo(0, -v); });
    connect(m_roll, &NumberField::entered, this, [turnTo](double v) { turnTo(2, v); });
    connect(m_opacity, &NumberField::entered, this, [this](double v) {
        const double opacity = std::clamp(v / 100, 0.0, 1.0);
        const edit::Edit all = {
            {"edit", "look"}, {"layers", m_session.selection.layers()}, {"opacity", opacity}};
        m_session.document.apply(
            m_session.selection.layers().size() == 1
                ? m_session.setting(m_session.selection.layers().front(), "opacity", opacity, all)
                : all);
    });
    connect(m_blend, &QComboBox::activated, this, [this](int i) {
        m_session.document.apply({{"edit", "look"},
                                  {"layers", m_session.selection.layers()},
                                  {"blend", scene::blendNames[static_cast<std::size_t>(i)]}});
    });
    const auto setText = [this, layer](edit::Edit change) {
        if (const auto l = layer(); l && std::holds_alternative<scene::Text>(l->content)) {
            edit::Edit edit = {{"edit", "text"}, {"layer", l->id}};
            edit.update(change);
            m_session.document.apply(edit);
        }
    };
    connect(m_text, &QPlainTextEdit::textChanged, this, [this, setText, layer] {
        const auto l = layer();
        const auto* now = l ? std::get_if<scene::Text>(&l->content) : nullptr;
        const std::string typed = m_text->toPlainText().toStdString();
        if (now && !typed.empty() && typed != now->text) setText({{"text", typed}});
    });
    const auto fontChosen = [this, setText] {
        setText(
            {{"font",
              (m_font->currentFont().family() + QLatin1Char(' ') + m_style->currentText()).toStdString()}});
    };
    connect(m_font, &QFontComboBox::activated, this, [this, fontChosen] {
        m_style->clear();
        m_style->addItems(QFontDatabase::styles(m_font->currentFont().family()));
        fontChosen();
    });
    connect(m_style, &QComboBox::activated, this, fontChosen);
    connect(m_fill, &QPushButton::clicked, this, [this, setText, layer] {
        const auto l = layer();
        const auto* now = l ? std::get_if<scene::Text>(&l->content) : nullptr;
        if (!now) return;
        const QColor colour = QColorDialog::getColor(shown(now->fill), this, tr("Fill of the text"),
                                                     QColorDialog::ShowAlphaChannel);
        if (!colour.isValid()) return;
        setText({{"fill", scene::toJson(sceneColour(colour))}});
    });
    return widget;
}

/// Factors; not 0 or below, which flips are for.
void DetailsPanel::scaleTo(double across, double up) {
    if (!(across > 0) || !(up > 0)) {
        Q_EMIT m_session.problem(tr("A size is above 0; flip the layer to mirror it."));
        return;
    }
    edit::Edit edit = m_session.onSelection("scale", {{"by", {across, up}}});
    if (m_session.scaleAboutAxis()) edit["about"] = "axis";
    m_session.document.apply(edit);
}

QWidget* DetailsPanel::makeManyPart() {
    using scene::Measured;
    auto* widget = new QWidget;
    auto* layout = new QVBoxLayout(widget);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(4);
    section(layout, tr("All of them"));
    auto* by = field(m_session, layout, tr("Push by"), Measured::Length, QStringLiteral("m"), 2, 0.1,
                     tr("All by the same distance, metres; Enter does it"));
    auto* allAt = field(m_session, layout, tr("All at"), Measured::Length, QStringLiteral("m"), 2, 0.1,
                        tr("All to this depth, metres; Enter does it"));
    auto* ratio = field(m_session, layout, tr("Push to"), Measured::Percent, QStringLiteral("%"), 0, 5,
                        tr("All by the same ratio of their depths; Enter does it"));
    ratio->setValue(100);
    auto* from = field(m_session, layout, tr("Nearest"), Measured::Length, QStringLiteral("m"), 2, 0.5,
                       tr("Depth of the nearest one when they are spread, metres"));
    auto* to = field(m_session, layout, tr("Farthest"), Measured::Length, QStringLiteral("m"), 2, 0.5,
                     tr("Depth of the farthest one when they are spread, metres"));
    by->setObjectName(QStringLiteral("pushBy"));
    from->setObjectName(QStringLiteral("manyFrom"));
    to->setObjectName(QStringLiteral("manyTo"));
    auto* steps = choice(layout, tr("Steps"), {tr("even"), tr("equal parallax")}, 0,
                         tr("Equal distances, or equal differences of travel in the frame"));
    auto* spread = new QPushButton(tr("Spread in depth"));
    spread->setObjectName(QStringLiteral("spread"));
    layout->addWidget(spread);
    connect(by, &NumberField::entered, this, [this, by](double v) {
        if (v != 0) m_session.document.apply(m_session.push({{"by", v}}));
        by->setValue(0);
    });
    connect(allAt, &NumberField::entered, this, [this](double v) {
        m_session.document.apply(m_session.push({{"depth", v}}));
    });
    connect(ratio, &NumberField::entered, this, [this, ratio](double v) {
        if (v > 0 && v != 100) m_session.document.apply(m_session.push({{"ratio", v / 100}}));
        ratio->setValue(100);
    });
    connect(spread, &QPushButton::clicked, this, [this, from, to, steps] {
        m_session.document.apply(
            m_session.push({{"spread", {from->value(), to->value()}},
                            {"steps", steps->currentIndex() == 0 ? "even" : "parallax"}}));
    });
    const auto show = [this, from, to, allAt] {
        double near = 1e300, far = -1e300;
        for (const std::int64_t id : m_session.selection.layers()) {
            const double depth = m_session.now().depthOf(m_session.now().find(id));
            near = std::min(near, depth), far = std::max(far, depth);
        }
        if (near <= far) from->setValue(near), to->setValue(far), allAt->setValue(near);
    };
    connect(&m_session.selection, &Selection::layersChanged, this, show);
    connect(&m_session.document, &Document::sceneChanged, this, show);
    section(layout, tr("In the frame"));
    const struct {
        const char *icon, *tip;
        edit::Edit edit;
    } ways[] = {
        {"align-start-vertical", QT_TR_NOOP("Align left"), {{"edit", "align"}, {"to", "left"}}},
        {"align-center-vertical", QT_TR_NOOP("Align centres"), {{"edit", "align"}, {"to", "centre"}}},
        {"align-end-vertical", QT_TR_NOOP("Align right"), {{"edit", "align"}, {"to", "right"}}},
        {"align-start-horizontal", QT_TR_NOOP("Align tops"), {{"edit", "align"}, {"to", "top"}}},
        {"align-center-horizontal", QT_TR_NOOP("Align middles"), {{"edit", "align"}, {"to", "middle"}}},
        {"align-end-horizontal", QT_TR_NOOP("Align feet"), {{"edit", "align"}, {"to", "bottom"}}},
        {"align-horizontal-distribute-center",
         QT_TR_NOOP("Distribute across"),
         {{"edit", "distribute"}, {"along", "across"}}},
        {"align-vertical-distribute-center",
         QT_TR_NOOP("Distribute up"),
         {{"edit", "distribute"}, {"along", "up"}}}};
    auto* row = new QHBoxLayout;
    row->setSpacing(1);
    for (const auto& way : ways) {
        auto* button = smallButton(QString::fromLatin1(way.icon), tr(way.tip));
        connect(button, &QToolButton::clicked, this, [this, edit = way.edit] {
            edit::Edit whole = m_session.onSelection(edit["edit"].get<std::string>(), edit);
            if (edit["edit"] == "align") whole["in"] = "selection";
            m_session.document.apply(whole);
        });
        button->setFixedSize(25, 25);
        row->addWidget(button);
    }
    row->addStretch();
    layout->addLayout(row);
    return widget;
}

QWidget* DetailsPanel::makeCameraPage() {
    QVBoxLayout* layout = nullptr;
    QWidget* widget = page(layout);
    using scene::Measured;
    m_cameraNote = new QLabel;
    m_cameraNote->setObjectName(QStringLiteral("dim"));
    m_cameraNote->setWordWrap(true);
    layout->addWidget(m_cameraNote);
    section(layout, tr("Camera"));
    m_camAcross = field(m_session, layout, tr("Across"), Measured::Length, QStringLiteral("m"), 2, 0.05,
                        tr("Metres to the right of the world's origin"));
    m_camHeight = field(m_session, layout, tr("Up"), Measured::Length, QStringLiteral("m"), 2, 0.05,
                        tr("Metres above the ground"));
    m_camAlong = field(m_session, layout, tr("Along"), Measured::Length, QStringLiteral("m"), 2, 0.05,
                       tr("Metres ahead of the world's origin"));
    m_pan = field(m_session, layout, tr("Pan"), Measured::Angle, QStringLiteral("°"), 2, 0.5,
                  tr("Degrees; positive looks to the right"));
    m_tilt = field(m_session, layout, tr("Tilt"), Measured::Angle, QStringLiteral("°"), 2, 0.5,
                   tr("Degrees; positive looks up"));
    m_camRoll = field(m_session, layout, tr("Roll"), Measured::Angle, QStringLiteral("°"), 2, 0.5,
                      tr("Degrees; positive turns the camera clockwise"));
    m_focal = field(m_session, layout, tr("Focal length"), Measured::Focal, QStringLiteral("mm"), 1, 1,
                    tr("Millimetres, at this mark alone"));
    m_fstop =
        field(m_session, layout, tr("f-stop"), Measured::Plain, QString(), 1, 0.5, tr("At this mark alone"));
    m_focus = field(m_session, layout, tr("Focus"), Measured::Length, QStringLiteral("m"), 2, 0.1,
                    tr("Distance that is sharp, metres, at this mark alone"));
    m_focal->setStops(primes());
    m_fstop->setStops(fullStops());
    m_gate = new QComboBox;
    m_gate->setObjectName(QStringLiteral("gate"));
    m_gate->setEditable(true);
    m_gate->setInsertPolicy(QComboBox::NoInsert);
    for (const Gate& gate : gates)
        m_gate->addItem(tr(gate.name), gate.width);
    m_gate->view()->setMinimumWidth(170);
    m_gate->setToolTip(tr("Width of what the lens exposes, in mm, of the whole scene; choose or type"));
    line(layout, tr("Gate"), m_gate, 118);
    m_iris = new QComboBox;
    m_iris->setObjectName(QStringLiteral("iris"));
    m_iris->addItem(tr("round"), 0);
    for (int blades = 5; blades <= 9; ++blades)
        m_iris->addItem(tr("%1 blades").arg(blades), blades);
    m_iris->setToolTip(tr("The lens's opening, of the whole scene: what is out of focus takes its shape"));
    line(layout, tr("Iris"), m_iris, 118);
    m_irisTurn = field(m_session, layout, tr("Iris rotation"), Measured::Angle, QStringLiteral("°"), 0, 5,
                       tr("Degrees by which its blades are turned"));
    m_shutter = field(
        m_session, layout, tr("Shutter"), Measured::Angle, QStringLiteral("°"), 0, 15,
        tr("Of 360 degrees, how long each frame of the whole scene is exposed; 0: nothing blurs by moving"));
    m_shutter->setObjectName(QStringLiteral("shutter"));
    const auto setIris = [this](int blades) {
        m_session.document.apply(
            {{"edit", "lens"},
             {"iris", {{"blades", blades}, {"turn", std::clamp(m_irisTurn->value(), -360.0, 360.0)}}}});
    };
    connect(m_iris, &QComboBox::activated, this, [=, this](int i) { setIris(m_iris->itemData(i).toInt()); });
    connect(m_irisTurn, &NumberField::entered, this,
            [=, this] { setIris(m_session.scene()->camera.iris.blades); });
    connect(m_shutter, &NumberField::entered, this, [this](double v) {
        m_session.document.apply({{"edit", "lens"}, {"shutter", std::clamp(v, 0.0, 720.0)}});
    });
    m_sharp =
        reading(layout, tr("Sharp"), tr("Between these distances a point is blurred by too little to see"));
    m_hyperfocal = reading(layout, tr("Hyperfocal"), tr("Focused there, all that is farther is sharp too"));
    connect(m_gate, &QComboBox::activated, this, [this](int i) {
        m_session.document.apply({{"edit", "lens"}, {"gate", m_gate->itemData(i).toDouble()}});
    });
    connect(m_gate->lineEdit(), &QLineEdit::returnPressed, this, [this] {
        const auto width = scene::quantity(
            m_gate->currentText().section(QStringLiteral("  "), 0, 0).toStdString(), scene::Measured::Focal);
        if (width)
            m_session.document.apply({{"edit", "lens"}, {"gate", *width}});
        else
            Q_EMIT m_session.problem(QString::fromStdString(width.error().sentence));
        refreshCamera();
    });
    section(layout, tr("Air"));
    m_haze = field(m_session, layout, tr("Haze"), Measured::Plain, tr("per m"), 3, 0.005,
                   tr("How much of the light each metre of air takes, of the whole scene; 0: clear"));
    m_haze->setObjectName(QStringLiteral("haze"));
    m_hazeStart = field(m_session, layout, tr("Clear up to"), Measured::Length, QStringLiteral("m"), 2, 0.5,
                        tr("Metres from the lens where it begins"));
    m_hazeColour = colourRow(
        layout, tr("Its colour"), [this] { return m_session.scene()->haze.colour; },
        [this](const scene::Colour& colour) {
            m_session.document.apply({{"edit", "haze"}, {"colour", scene::toJson(colour)}});
        });
    connect(m_haze, &NumberField::entered, this, [this](double v) {
        m_session.document.apply({{"edit", "haze"}, {"density", std::clamp(v, 0.0, 1000.0)}});
    });
    connect(m_hazeStart, &NumberField::entered, this, [this](double v) {
        m_session.document.apply({{"edit", "haze"}, {"start", std::clamp(v, 0.0, 1e7)}});
    });
    section(layout, tr("From here on"));
    m_pace = new PaceChoice(m_session);
    line(layout, tr("Pace"), m_pace, 118);
    m_speed = reading(layout, tr("Speed now"), tr("Metres per second along the path"));
    m_turning = reading(layout, tr("Turning now"), tr("Degrees per second"));

    const auto walk = [this](auto change) {
        return [this, change](double v) {
            scene::Pose pose = m_session.camera.pose();
            change(pose, v);
            m_session.camera.walk(pose);
            m_session.camera.endWalk();
        };
    };
    connect(m_camAcross, &NumberField::entered, this,
            walk([](scene::Pose& p, double v) { p.position.x = v; }));
    connect(m_camHeight, &NumberField::entered, this,
            walk([](scene::Pose& p, double v) { p.position.y = v; }));
    connect(m_camAlong, &NumberField::entered, this,
            walk([](scene::Pose& p, double v) { p.position.z = -v; }));
    connect(m_pan, &NumberField::entered, this, walk([](scene::Pose& p, double v) { p.pan = v; }));
    connect(m_tilt, &NumberField::entered, this,
            walk([](scene::Pose& p, double v) { p.tilt = std::clamp(v, -89.9, 89.9); }));
    connect(m_camRoll, &NumberField::entered, this, walk([](scene::Pose& p, double v) { p.roll = v; }));
    connect(m_focal, &NumberField::entered, this,
            walk([](scene::Pose& p, double v) { p.focal = std::clamp(v, 0.1, 10'000.0); }));
    connect(m_fstop, &NumberField::entered, this,
            walk([](scene::Pose& p, double v) { p.fstop = std::clamp(v, 0.1, 1000.0); }));
    connect(m_focus, &NumberField::entered, this,
            walk([](scene::Pose& p, double v) { p.focus = std::clamp(v, 0.001, 1e7); }));
    return widget;
}

void DetailsPanel::refresh() {
    const scene::LayerPath found = m_session.selection.only();
    const auto count = m_session.selection.layers().size();
    m_layerPage->setVisible(count > 0);
    m_cameraPage->setVisible(count == 0);
    if (count == 0)
        refreshCamera();
    else if (count == 1)
        refreshLayer(found);
    else {
        // What they have in common; where they differ, that of the first.
        const scene::LayerPtr first =
            scene::find(*m_session.scene(), m_session.selection.layers().front()).layer;
        m_opacity->setValue(first->opacity * 100);
        bool alike = true;
        for (const std::int64_t id : m_session.selection.layers())
            alike = alike && scene::find(*m_session.scene(), id).layer->blend == first->blend;
        m_blend->setCurrentIndex(alike ? static_cast<int>(first->blend) : -1);
        Q_EMIT titleChanged(tr("%1 layers").arg(count), tr("moved together"));
    }
    const bool one = count == 1;
    const bool flat = one && found.layer && !found.layer->group();
    for (QWidget* w : std::initializer_list<QWidget*>{m_across, m_height, m_turn, m_lean, m_roll})
        w->setEnabled(one);
    m_width->setEnabled(one);
    m_layerHeight->setEnabled(one);
    m_locked->setEnabled(flat);
    m_manyPart->setVisible(count > 1);
    m_onePart->setVisible(count == 1);
    m_inDepth->setVisible(one && found.layer && found.layer->group());
    if (one && found.layer && found.layer->group()) m_inDepth->setChecked(found.layer->group()->inDepth);
    m_content->setVisible(count == 1);
    if (!one) m_missing->hide();
    m_hanging->refresh();
    m_time->refresh();
    if (!one) m_textPart->hide();
}

void DetailsPanel::refreshLayer(const scene::LayerPath& found) {
    const scene::Scene& scene = *m_session.scene();
    const scene::Layer& layer = *found.layer;
    static const char* kinds[] = {QT_TR_NOOP("picture"), QT_TR_NOOP("footage"), QT_TR_NOOP("text"),
                                  QT_TR_NOOP("group"), QT_TR_NOOP("card")};
    QString note = tr(kinds[layer.content.index()]);
    if (!layer.group()) note += QStringLiteral(" · %1 × %2").arg(layer.pixels.x).arg(layer.pixels.y);
    Q_EMIT titleChanged(QString::fromStdString(layer.name), note);

    const scene::Media* media = scene::mediaOf(layer);
    const bool missing = !media::isThere(layer);
    m_content->refresh();
    m_missing->setVisible(missing);
    if (missing) m_missing->setText(tr("Missing: %1").arg(QString::fromStdString(media->path)));

    const scene::LayerPath& now = m_session.now().find(layer.id);
    const auto measured = motion::measureAt(m_session.now(), now);
    const V3d pivot = optics::pivotOf(now);
    m_depth->setValue(measured.depth);
    m_across->setValue(pivot.x);
    m_height->setValue(pivot.y);
    m_width->setValue(measured.metres.x);
    m_layerHeight->setValue(measured.metres.y);
    const V3d turn = layer.hanging.facing == scene::Facing::Fixed ? now.layer->placement.turn
                                                                  : m_session.placementNow(layer.id).turn;
    m_turn->setValue(turn.y);
    m_lean->setValue(-turn.x);
    m_roll->setValue(turn.z);
    m_opacity->setValue(now.layer->opacity * 100);
    m_blend->setCurrentIndex(static_cast<int>(layer.blend));
    m_sizeInFrame->setText(measured.corners
                               ? tr("%1 × %2 %")
                                     .arg(figure(100 * measured.size().x / scene.output.frame.x, 1),
                                          figure(100 * measured.size().y / scene.output.frame.y, 1))
                               : tr("behind"));
    m_distance->setText(tr("%1 m").arg(figure(measured.distance, 2)));
    const double enlargement = measured.enlargement * 100;
    m_enlargement->setText(enlargement > 100.5 ? tr("▲ %1 %").arg(figure(enlargement, 0))
                           : enlargement > 0   ? tr("%1 %").arg(figure(enlargement, 0))
                                               : QStringLiteral("–"));
    m_enlargement->setStyleSheet(enlargement > 100.5 ? QStringLiteral("color:#F0A58F") : QString());
    const double sharp = optics::sharpDisc(scene.output.frame.x);
    m_blur->setText(measured.blur <= sharp ? tr("%1 px · sharp").arg(figure(measured.blur, 1))
                                           : tr("%1 px").arg(figure(measured.blur, 1)));

    const auto* text = std::get_if<scene::Text>(&layer.content);
    m_textPart->setVisible(text != nullptr);
    if (!text) return;
    if (m_text->toPlainText().toStdString() != text->text &&
        !(m_text->hasFocus() && m_text->toPlainText().isEmpty())) {
        const QSignalBlocker quiet(m_text); // shown, not typed
        m_text->setPlainText(QString::fromStdString(text->text));
    }
    const QString font = QString::fromStdString(text->font);
    QString family = font.section(QLatin1Char(' '), 0, -2), style = font.section(QLatin1Char(' '), -1);
    if (!QFontDatabase::hasFamily(family)) family = font;
    if (m_font->currentFont().family() != family) m_font->setCurrentFont(QFont(family));
    const QStringList styles = QFontDatabase::styles(family);
    if (m_style->count() != styles.size()) {
        m_style->clear();
        m_style->addItems(styles);
    }
    m_style->setCurrentText(style);
    const QColor fill = shown(text->fill);
    m_fill->setStyleSheet(QStringLiteral("background:%1;color:%2")
                              .arg(fill.name(), fill.lightness() > 128 ? QStringLiteral("#23272B")
                                                                       : QStringLiteral("#E9E4D8")));
    m_fill->setText(fill.name());
}

void DetailsPanel::measureTravel() {
    const scene::LayerPath found = m_session.selection.only();
    if (!found.layer) return;
    const auto measured =
        motion::measure(*m_session.scene(), found.layer->id, m_session.move(), m_session.playhead.time());
    m_travel->setText(tr("%1 px over the move").arg(figure(measured.travel, 0)));
}

void DetailsPanel::refreshCamera() {
    const scene::Scene& scene = *m_session.scene();
    const int mark = m_session.camera.markHere();
    const bool off =
        m_session.camera.offMove() && m_session.camera.offMove()->time == m_session.playhead.time();
    Q_EMIT titleChanged(mark >= 0 ? tr("Mark %1").arg(mark + 1) : tr("Camera"),
                        mark >= 0
                            ? QString::fromStdString(scene.camera.marks[static_cast<std::size_t>(mark)].name)
                        : off ? tr("off the move")
                              : tr("on the move"));
    m_cameraNote->setText(
        mark >= 0 ? tr("Moving the camera here changes this mark.")
                  : tr("Between marks: moving the camera here leaves the move until you set a mark."));
    const scene::Pose pose = m_session.camera.pose();
    m_camAcross->setValue(pose.position.x);
    m_camHeight->setValue(pose.position.y);
    m_camAlong->setValue(-pose.position.z);
    m_pan->setValue(pose.pan);
    m_tilt->setValue(pose.tilt);
    m_camRoll->setValue(pose.roll);
    m_focal->setValue(pose.focal);
    m_fstop->setValue(pose.fstop);
    m_focus->setValue(pose.focus);
    if (!m_gate->lineEdit()->hasFocus()) {
        const auto gate = std::find_if(std::begin(gates), std::end(gates),
                                       [&](const Gate& each) { return each.width == scene.camera.gate; });
        m_gate->setCurrentIndex(gate == std::end(gates) ? -1 : static_cast<int>(gate - std::begin(gates)));
        if (gate == std::end(gates)) m_gate->setEditText(tr("%1 mm").arg(scene.camera.gate));
        m_gate->lineEdit()->setCursorPosition(0);
    }
    const int iris = m_iris->findData(scene.camera.iris.blades);
    m_iris->setCurrentIndex(iris);
    m_iris->setPlaceholderText(tr("%1 blades").arg(scene.camera.iris.blades));
    m_irisTurn->setValue(scene.camera.iris.turn);
    m_irisTurn->setEnabled(scene.camera.iris.blades > 0);
    m_shutter->setValue(scene.camera.shutter);
    m_haze->setValue(scene.haze.density);
    m_hazeStart->setValue(scene.haze.start);
    setSwatch(m_hazeColour, scene.haze.colour);
    const optics::Sharpness range = optics::sharpnessOf(pose, scene.camera.gate, scene.output.frame);
    m_sharp->setText(tr("%1 to %2")
                         .arg(figure(range.near, 2),
                              std::isinf(range.far) ? QStringLiteral("∞") : figure(range.far, 2) + tr(" m")));
    m_hyperfocal->setText(tr("%1 m").arg(figure(range.hyperfocal, 2)));
    m_pace->refresh();
    m_speed->setText(
        tr("%1 m/s").arg(figure(m_session.move().speed(m_session.playhead.time().toDouble()), 2)));
    m_turning->setText(
        tr("%1 °/s").arg(figure(m_session.move().turning(m_session.playhead.time().toDouble()), 1)));
}

}
