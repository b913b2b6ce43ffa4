#include "desk/details/camera_part.h"

#include "desk/kit/form.h"
#include "desk/kit/gates.h"
#include "desk/time/pace_choice.h"
#include "optics/lens.h"
#include "scene/scene_json.h"

#include <QAbstractItemView>
#include <QComboBox>
#include <QLabel>
#include <QLineEdit>
#include <algorithm>
#include <cmath>
#include <limits>

namespace stage::desk {
namespace {

constexpr double anywhere = std::numeric_limits<double>::max();

}

CameraPart::CameraPart(Session& session) : Part(session) {
    m_rows.note("dim", [this] {
        return m_session.camera.markHere() >= 0
                   ? tr("Moving the camera here changes this mark.")
                   : tr("Between marks: moving the camera here leaves the move until you set a mark.");
    });
    m_rows.section(tr("Camera"));
    addPlace();
    addLens();
    addGate();
    addIris();
    addReadings();
    m_rows.section(tr("Air and light"));
    addAir();
    addAmbient();
    m_rows.section(tr("From here on"));
    addPace();
}

void CameraPart::addPose(const QString& name, const NumberStyle& style, const QString& tip,
                         std::function<double&(scene::Pose&)> member, double least, double most,
                         std::vector<double> stops) {
    NumberField* field = m_rows.number(
        name, style, tip,
        [this, member] {
            scene::Pose pose = m_session.camera.pose();
            return member(pose);
        },
        [this, member, least, most](double v) {
            scene::Pose pose = m_session.camera.pose();
            member(pose) = std::clamp(v, least, most);
            m_session.camera.walk(pose);
            m_session.camera.endWalk();
        });
    if (!stops.empty()) field->setStops(std::move(stops));
}

void CameraPart::addPlace() {
    using scene::Pose;
    addPose(
        tr("Across"), metres(0.05), tr("Metres to the right of the world's origin"),
        [](Pose& p) -> double& { return p.position.x; }, -anywhere, anywhere);
    addPose(
        tr("Up"), metres(0.05), tr("Metres above the ground"),
        [](Pose& p) -> double& { return p.position.y; }, -anywhere, anywhere);
    m_rows.number(
        tr("Along"), metres(0.05), tr("Metres ahead of the world's origin"),
        [this] { return -m_session.camera.pose().position.z; },
        [this](double v) {
            Pose pose = m_session.camera.pose();
            pose.position.z = -v;
            m_session.camera.walk(pose);
            m_session.camera.endWalk();
        });
    addPose(
        tr("Pan"), degrees(0.5, 2), tr("Degrees; positive looks to the right"),
        [](Pose& p) -> double& { return p.pan; }, -anywhere, anywhere);
    addPose(
        tr("Tilt"), degrees(0.5, 2), tr("Degrees; positive looks up"),
        [](Pose& p) -> double& { return p.tilt; }, -89.9, 89.9);
    addPose(
        tr("Roll"), degrees(0.5, 2), tr("Degrees; positive turns the camera clockwise"),
        [](Pose& p) -> double& { return p.roll; }, -anywhere, anywhere);
}

void CameraPart::addLens() {
    using scene::Pose;
    addPose(
        tr("Focal length"), {scene::Measured::Focal, QStringLiteral("mm"), 1, 1},
        tr("Millimetres, at this mark alone"), [](Pose& p) -> double& { return p.focal; }, 0.1, 10'000,
        primes());
    addPose(
        tr("f-stop"), {scene::Measured::Plain, QString(), 1, 0.5}, tr("At this mark alone"),
        [](Pose& p) -> double& { return p.fstop; }, 0.1, 1000, fullStops());
    addPose(
        tr("Focus"), metres(0.1), tr("Distance that is sharp, metres, at this mark alone"),
        [](Pose& p) -> double& { return p.focus; }, 0.001, 1e7);
}

// ---- of the whole scene

void CameraPart::addGate() {
    m_gate = new QComboBox;
    m_gate->setObjectName(QStringLiteral("gate"));
    m_gate->setEditable(true);
    m_gate->setInsertPolicy(QComboBox::NoInsert);
    for (const Gate& gate : gates)
        m_gate->addItem(tr(gate.name), gate.width);
    m_gate->view()->setMinimumWidth(170);
    m_gate->setToolTip(tr("Width of what the lens exposes, in mm, of the whole scene; choose or type"));
    line(m_rows.layout(), tr("Gate"), m_gate, 118);
    connect(m_gate, &QComboBox::activated, this, [this](int i) {
        apply({{"edit", "lens"}, {"gate", m_gate->itemData(i).toDouble()}});
    });
    connect(m_gate->lineEdit(), &QLineEdit::returnPressed, this, &CameraPart::typeGate);
    m_rows.onRefresh([this] { showGate(); });
    const auto shift = [this](const QString& name, const QString& tip, double V2d::*part) {
        NumberField* field = m_rows.number(
            name, {scene::Measured::Focal, QStringLiteral("mm"), 1, 0.5}, tip,
            [this, part] { return m_session.scene()->camera.shift.*part; },
            [this, part](double v) {
                V2d now = m_session.scene()->camera.shift;
                now.*part = std::clamp(v, -1000.0, 1000.0);
                apply({{"edit", "lens"}, {"shift", {now.x, now.y}}});
            });
        return field;
    };
    shift(tr("Shift right"), tr("How far the gate is moved from the lens's axis, of the whole scene"),
          &V2d::x)
        ->setObjectName(QStringLiteral("shiftRight"));
    shift(tr("Shift up"),
          tr("How far the gate is moved up from the lens's axis, of the whole scene: upright lines stay "
             "upright"),
          &V2d::y)
        ->setObjectName(QStringLiteral("shiftUp"));
}

void CameraPart::typeGate() {
    const QString typed = m_gate->currentText().section(QStringLiteral("  "), 0, 0);
    const auto width = scene::quantity(typed.toStdString(), scene::Measured::Focal);
    if (width)
        apply({{"edit", "lens"}, {"gate", *width}});
    else
        m_session.tell(width.error());
    refresh();
}

void CameraPart::showGate() {
    if (m_gate->lineEdit()->hasFocus()) return;
    const double width = m_session.scene()->camera.gate;
    const auto known = std::find_if(std::begin(gates), std::end(gates),
                                    [&](const Gate& each) { return each.width == width; });
    m_gate->setCurrentIndex(known == std::end(gates) ? -1 : static_cast<int>(known - std::begin(gates)));
    if (known == std::end(gates)) m_gate->setEditText(tr("%1 mm").arg(width));
    m_gate->lineEdit()->setCursorPosition(0);
}

void CameraPart::addIris() {
    const auto iris = [this] { return m_session.scene()->camera.iris; };
    auto* shape = new QComboBox;
    shape->setObjectName(QStringLiteral("iris"));
    shape->addItem(tr("round"), 0);
    for (int blades = 5; blades <= 9; ++blades)
        shape->addItem(tr("%n blade(s)", nullptr, blades), blades);
    shape->setToolTip(tr("The lens's opening, of the whole scene: what is out of focus takes its shape"));
    line(m_rows.layout(), tr("Iris"), shape, 118);
    connect(shape, &QComboBox::activated, this,
            [this, shape, iris](int i) { setIris(shape->itemData(i).toInt(), iris().turn); });
    m_rows.onRefresh([shape, iris] {
        shape->setCurrentIndex(shape->findData(iris().blades));
        shape->setPlaceholderText(tr("%n blade(s)", nullptr, iris().blades));
    });
    NumberField* turn = m_rows.number(
        tr("Iris rotation"), degrees(5, 0), tr("Degrees by which its blades are turned"),
        [iris] { return iris().turn; }, [this, iris](double v) { setIris(iris().blades, v); });
    m_rows.onRefresh([turn, iris] { turn->setEnabled(iris().blades > 0); });
    NumberField* shutter = m_rows.number(
        tr("Shutter"), degrees(15, 0),
        tr("Of 360 degrees, how long each frame of the whole scene is exposed; 0: nothing blurs by moving"),
        [this] { return m_session.scene()->camera.shutter; },
        [this](double v) {
            apply({{"edit", "lens"}, {"shutter", std::clamp(v, 0.0, 720.0)}});
        });
    shutter->setObjectName(QStringLiteral("shutter"));
}

void CameraPart::setIris(int blades, double turn) {
    apply({{"edit", "lens"}, {"iris", {{"blades", blades}, {"turn", std::clamp(turn, -360.0, 360.0)}}}});
}

void CameraPart::addReadings() {
    const auto sharpness = [this] {
        const scene::Scene& scene = *m_session.scene();
        return optics::sharpnessOf(m_session.camera.pose(), scene.camera.gate, scene.output.frame);
    };
    m_rows.reading(
        tr("Sharp"), tr("Between these distances a point is blurred by too little to see"), [sharpness] {
            const optics::Sharpness range = sharpness();
            return tr("%1 to %2")
                .arg(figure(range.near, 2),
                     std::isinf(range.far) ? QStringLiteral("∞") : figure(range.far, 2) + tr(" m"));
        });
    m_rows.reading(tr("Hyperfocal"), tr("Focused there, all that is farther is sharp too"),
                   [sharpness] { return tr("%1 m").arg(figure(sharpness().hyperfocal, 2)); });
}

void CameraPart::addAir() {
    const auto haze = [this]() -> const scene::Haze& { return m_session.scene()->haze; };
    NumberField* density = m_rows.number(
        tr("Haze"), {scene::Measured::Plain, tr("per m"), 3, 0.005},
        tr("How much of the light each metre of air takes, of the whole scene; 0: clear"),
        [haze] { return haze().density; },
        [this](double v) {
            apply({{"edit", "haze"}, {"density", std::clamp(v, 0.0, 1000.0)}});
        });
    density->setObjectName(QStringLiteral("haze"));
    m_rows.number(
        tr("Clear up to"), metres(0.5), tr("Metres from the lens where it begins"),
        [haze] { return haze().start; },
        [this](double v) {
            apply({{"edit", "haze"}, {"start", std::clamp(v, 0.0, 1e7)}});
        });
    m_rows.colour(
        tr("Its colour"), [haze] { return haze().colour; },
        [this](const scene::Colour& colour) {
            apply({{"edit", "haze"}, {"colour", scene::toJson(colour)}});
        });
    const auto mist = [this]() -> const scene::Mist& { return m_session.scene()->mist; };
    const auto set = [this](const char* member, double low, double high) {
        return [this, member, low, high](double v) {
            apply({{"edit", "mist"}, {member, std::clamp(v, low, high)}});
        };
    };
    m_rows
        .number(
            tr("Mist"), {scene::Measured::Plain, tr("per m"), 3, 0.02},
            tr("Above the ground, up to a height: how much of the light each metre of it takes; 0: none"),
            [mist] { return mist().density; }, set("density", 0, 1000))
        ->setObjectName(QStringLiteral("mist"));
    m_rows.number(
        tr("Up to"), metres(0.1), tr("Height in the scene above which the air is clear"),
        [mist] { return mist().top; }, set("top", -1e7, 1e7));
    m_rows.number(
        tr("Thins out over"), metres(0.1), tr("Metres below that height"), [mist] { return mist().soft; },
        set("soft", 1e-6, 1e7));
    m_rows.colour(
        tr("Mist's colour"), [mist] { return mist().colour; },
        [this](const scene::Colour& colour) {
            apply({{"edit", "mist"}, {"colour", scene::toJson(colour)}});
        });
}

void CameraPart::addAmbient() {
    const auto ambient = [this]() -> const scene::Ambient& { return m_session.scene()->ambient; };
    m_rows.share(
        tr("Ambient light"), percent(5), tr("What is light everywhere, on layers that take light"),
        [ambient] { return ambient().level; },
        [this](double v) {
            apply({{"edit", "ambient"}, {"level", std::clamp(v, 0.0, 1000.0)}});
        });
    m_rows.colour(
        tr("Of colour"), [ambient] { return ambient().colour; },
        [this](const scene::Colour& colour) {
            apply({{"edit", "ambient"}, {"colour", scene::toJson(colour)}});
        });
}

void CameraPart::addPace() {
    auto* pace = new PaceChoice(m_session);
    line(m_rows.layout(), tr("Pace"), pace, 118);
    m_rows.onRefresh([pace] { pace->refresh(); });
    m_rows.reading(tr("Speed now"), tr("Metres per second along the path"),
                   [this] { return tr("%1 m/s").arg(figure(m_session.move().speed(seconds()), 2)); });
    m_rows.reading(tr("Turning now"), tr("Degrees per second"),
                   [this] { return tr("%1 °/s").arg(figure(m_session.move().turning(seconds()), 1)); });
}

}
