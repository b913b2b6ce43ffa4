#include "desk/details/placement_part.h"

#include "desk/kit/form.h"
#include "optics/lens.h"
#include "scene/scene_json.h"

#include <QCheckBox>
#include <QLabel>

namespace stage::desk {

PlacementPart::PlacementPart(Session& session) : Part(session) {
    m_rows.onRefresh([this] { m_measured = motion::measureAt(m_session.now(), found()); });
    m_rows.section(tr("Placement"));
    addPlace();
    addSize();
    addTurns();
    m_rows.section(tr("Seen by the lens"));
    addReadings();
}

const scene::LayerPath& PlacementPart::found() const {
    return m_session.now().find(m_session.selection.layers().front());
}

void PlacementPart::addPlace() {
    m_rows.number(
        tr("Depth"), metres(0.1),
        tr("Metres from the first mark along its viewing axis. Framing is held when Hold framing is on."),
        [this] { return m_measured.depth; },
        [this](double v) {
            apply(m_session.push({{"depth", v}}));
        });
    m_rows.number(
        tr("Across"), metres(0.05), tr("Metres to the right of the world's origin, of the layer's centre"),
        [this] { return optics::pivotOf(found()).x; }, [this](double v) { slideTo(0, v); });
    m_rows.number(
        tr("Up"), metres(0.05), tr("Metres above the world's origin, of the layer's centre"),
        [this] { return optics::pivotOf(found()).y; }, [this](double v) { slideTo(1, v); });
}

void PlacementPart::slideTo(int axis, double metres) {
    if (!layer()) return;
    V3d by(0);
    by[axis] = metres - optics::pivotOf(found())[axis];
    apply(m_session.onSelection("slide", {{"by", {by.x, by.y, by.z}}}));
}

void PlacementPart::addSize() {
    m_rows.number(
        tr("Width"), metres(0.05), tr("Metres. With the lock closed its height keeps the ratio"),
        [this] { return m_measured.metres.x; },
        [this](double v) {
            const double now = m_measured.metres.x;
            if (now > 0) scaleTo(v / now, m_locked->isChecked() ? v / now : 1);
        });
    m_rows.number(
        tr("Height"), metres(0.05), tr("Metres. With the lock closed its width keeps the ratio"),
        [this] { return m_measured.metres.y; },
        [this](double v) {
            const double now = m_measured.metres.y;
            if (now > 0) scaleTo(m_locked->isChecked() ? v / now : 1, v / now);
        });
    m_locked = desk::tick(m_rows.layout(), tr("Width and height together"), true,
                          tr("Scaling one scales the other"));
    m_rows.onRefresh([this] { m_locked->setEnabled(!layer()->group()); });
}

void PlacementPart::scaleTo(double across, double up) {
    if (!(across > 0) || !(up > 0)) {
        Q_EMIT m_session.problem(tr("A size is above 0; flip the layer to mirror it."));
        return;
    }
    edit::Edit edit = m_session.onSelection("scale", {{"by", {across, up}}});
    if (m_session.scaleAboutAxis()) edit["about"] = "axis";
    apply(edit);
}

void PlacementPart::addTurns() {
    m_rows.number(
        tr("Turn"), degrees(1), tr("Degrees around the upright axis"), [this] { return turn().y; },
        [this](double v) { turnTo(1, v); });
    m_rows.number(
        tr("Lean"), degrees(1), tr("Degrees around the axis across; positive leans the top back"),
        [this] { return -turn().x; }, [this](double v) { turnTo(0, -v); });
    m_rows.number(
        tr("Roll"), degrees(1), tr("Degrees around the layer's own axis, counter-clockwise"),
        [this] { return turn().z; }, [this](double v) { turnTo(2, v); });
}

V3d PlacementPart::turn() const {
    const scene::LayerPtr only = layer();
    return only->hanging.facing == scene::Facing::Fixed ? found().layer->placement.turn
                                                        : m_session.placementNow(only->id).turn;
}

void PlacementPart::turnTo(int axis, double degrees) {
    const scene::LayerPtr only = layer();
    if (!only) return;
    V3d turn = m_session.placementNow(only->id).turn;
    turn[axis] = degrees;
    apply({{"edit", "place"},
           {"layer", only->id},
           {"turn", scene::toJson(turn)},
           {"time", m_session.playhead.time().text()}});
}

// ---- seen by the lens

void PlacementPart::addReadings() {
    m_rows.reading(tr("Size in frame"),
                   tr("Width and height of the box around its corners, in percent of the frame"),
                   [this] { return sizeInFrame(); });
    m_rows.reading(tr("Distance"), tr("From the camera at the playhead to the layer's centre"),
                   [this] { return tr("%1 m").arg(figure(m_measured.distance, 2)); });
    addEnlargement();
    m_rows.reading(tr("Blur disc"),
                   tr("Diameter in px into which the lens blurs a point at its pivot, at the playhead"),
                   [this] { return blur(); });
    auto* travel = new QLabel;
    travel->setObjectName(QStringLiteral("figure"));
    travel->setToolTip(tr("How far its centre moves in the frame over the whole move"));
    line(m_rows.layout(), tr("Travel"), travel, 0);
    m_settled.setSingleShot(true);
    m_settled.setInterval(40);
    connect(&m_settled, &QTimer::timeout, this, [this, travel] {
        if (!layer()) return;
        const auto over =
            motion::measure(*m_session.scene(), layer()->id, m_session.move(), m_session.playhead.time());
        travel->setText(tr("%1 px over the move").arg(figure(over.travel, 0)));
    });
    connect(&m_session.document, &Document::sceneChanged, &m_settled, qOverload<>(&QTimer::start));
    connect(&m_session.selection, &Selection::layersChanged, &m_settled, qOverload<>(&QTimer::start));
    connect(&m_session.camera, &ShownCamera::changed, &m_settled, qOverload<>(&QTimer::start));
}

QString PlacementPart::sizeInFrame() const {
    const motion::Measure& m = m_measured;
    if (!m.corners) return tr("behind");
    const V2d frame(m_session.scene()->output.frame);
    return tr("%1 × %2 %").arg(figure(100 * m.size().x / frame.x, 1), figure(100 * m.size().y / frame.y, 1));
}

QString PlacementPart::blur() const {
    const double disc = m_measured.blur;
    return disc <= optics::sharpDisc(m_session.scene()->output.frame.x)
               ? tr("%1 px · sharp").arg(figure(disc, 1))
               : tr("%1 px").arg(figure(disc, 1));
}

void PlacementPart::addEnlargement() {
    const auto percent = [this] { return m_measured.enlargement * 100; };
    const auto soft = [percent] { return percent() > 100.5; };
    QLabel* label = m_rows.reading(tr("Enlargement"),
                                   tr("Frame pixels per pixel of its picture; above 100 % it gets soft"),
                                   [percent, soft] {
                                       return soft()          ? tr("▲ %1 %").arg(figure(percent(), 0))
                                              : percent() > 0 ? tr("%1 %").arg(figure(percent(), 0))
                                                              : QStringLiteral("–");
                                   });
    m_rows.onRefresh(
        [label, soft] { label->setStyleSheet(soft() ? QStringLiteral("color:#F0A58F") : QString()); });
}

}
