#include "desk/details/hanging_part.h"

#include "desk/details/layer_choice.h"
#include "desk/kit/form.h"

#include <QComboBox>
#include <QLabel>
#include <QToolButton>
#include <QVBoxLayout>
#include <algorithm>

namespace stage::desk {

HangingPart::HangingPart(Session& session) : Part(session) {
    m_rows.section(tr("Hanging"));
    addPivot();
    m_rows.choice(
        tr("Faces camera"), {tr("no"), tr("upright"), tr("fully")},
        tr("Turns to the camera by itself, about the vertical only or fully"),
        [this] { return static_cast<int>(layer()->hanging.facing); },
        [this](int i) {
            hang({{"facing", scene::facingNames[static_cast<std::size_t>(i)]}});
        });
    addFollows();
    addStandsOn();
    m_shape = makeShape();
    m_rows.layout()->addWidget(m_shape);
    m_rows.onRefresh([this] {
        const bool flat = !layer()->group() && !layer()->box();
        m_shape->setVisible(flat);
        if (flat) m_shapeRows->refresh();
    });
    m_rows.note("dim", [this] {
        QStringList tags;
        for (const std::string& tag : layer()->tags)
            tags << QString::fromStdString(tag);
        return tags.isEmpty() ? QString() : tr("Tags: %1").arg(tags.join(QStringLiteral(", ")));
    });
    addKeys();
}

void HangingPart::hang(const edit::Edit& how) {
    edit::Edit edit = edit::onLayers("hang", m_session.selection.layers(), how);
    if (how.contains("bend") || how.contains("aroundCamera")) {
        edit["holdFraming"] = m_session.holdFraming();
        edit["mark"] = m_session.referenceMark() + 1;
        edit["time"] = m_session.playhead.time().text();
    }
    apply(edit);
}

// ---- pivot

void HangingPart::addPivot() {
    NumberField* across = m_rows.share(
        tr("Pivot across"), percent(5),
        tr("Where it turns and scales about: 0 is its left edge, 100 its right one. What is seen does not "
           "change"),
        [this] { return pivotShare(0); }, [this](double v) { setPivot(v, pivotShare(1)); });
    NumberField* up = m_rows.share(
        tr("Pivot up"), percent(5), tr("0 is its foot, 100 its top. Its depth is measured at the pivot"),
        [this] { return pivotShare(1); }, [this](double v) { setPivot(pivotShare(0), v); });
    m_rows.onRefresh([this, across, up] {
        for (NumberField* each : {across, up})
            each->setEnabled(!layer()->group());
    });
}

double HangingPart::pivotShare(int axis) const {
    const scene::LayerPtr only = layer();
    if (only->group()) return 0.5;
    return only->hanging.pivot[axis] / only->natural()[axis] + 0.5;
}

void HangingPart::setPivot(double across, double up) {
    const scene::LayerPtr only = layer();
    if (only && !only->group()) apply(m_session.onSelection("pivot", {{"to", {across - 0.5, up - 0.5}}}));
}

// ---- what carries it

void HangingPart::addFollows() {
    auto* follows = new LayerChoice({tr("nothing")});
    follows->setToolTip(tr("The layer that carries it, as if they were one; it stays where it is"));
    line(m_rows.layout(), tr("Follows"), follows, 118);
    connect(follows, &QComboBox::activated, this, [this, follows](int i) {
        const std::int64_t leader = follows->layerAt(i);
        applyToAll("follow", {{"leader", leader ? edit::Edit(leader) : edit::Edit(nullptr)}});
    });
    m_rows.onRefresh([this, follows] {
        if (m_session.document.previewing()) return; // they do not change in a drag
        follows->fill(*m_session.scene(), layer()->id);
        follows->show(layer()->follows);
    });
}

// ---- what it stands on

void HangingPart::addStandsOn() {
    auto* on = new LayerChoice({tr("nothing"), tr("the ground plane")}, false);
    on->setObjectName(QStringLiteral("standsOn"));
    on->setToolTip(tr("What its foot stands on: then it is told how far it slips"));
    line(m_rows.layout(), tr("Stands on"), on, 118);
    connect(on, &QComboBox::activated, this, [this, on](int i) {
        const std::int64_t under = on->layerAt(i);
        applyToAll("stand", {{"on", under    ? edit::Edit(under)
                                    : i == 1 ? edit::Edit("ground")
                                             : edit::Edit(nullptr)}});
    });
    m_slip =
        m_rows.reading(tr("Slip"), tr("How far its foot drifts against the ground under it over the move"),
                       [this] { return slip(); });
    m_slip->setObjectName(QStringLiteral("slip"));
    connect(&m_session.footSlip(), &FootSlip::changed, this, [this] {
        if (applies()) m_slip->setText(slip());
    });
    m_rows.onRefresh([this, on] {
        const auto& standing = layer()->standing;
        on->setEnabled(!layer()->group() && !layer()->box());
        if (m_session.document.previewing()) return;
        on->fill(*m_session.scene(), layer()->id);
        on->show(standing ? standing->on : 0);
        if (standing && standing->on == 0) on->setCurrentIndex(1);
    });
}

QString HangingPart::slip() const {
    const checks::Slip* slip = m_session.footSlip().slip();
    if (!slip || !layer()->standing) return QStringLiteral("–");
    if (!slip->grounded) return tr("no ground");
    return tr("%1 px").arg(figure(slip->most, 1));
}

// ---- its shape

QWidget* HangingPart::makeShape() {
    auto* shape = new QWidget;
    m_shapeRows = std::make_unique<Rows>(m_session, shape);
    addBend(*m_shapeRows);
    addSide(*m_shapeRows, "left", tr("Beyond left"), &scene::Extensions::left);
    addSide(*m_shapeRows, "right", tr("Beyond right"), &scene::Extensions::right);
    addSide(*m_shapeRows, "top", tr("Beyond top"), &scene::Extensions::top);
    addSide(*m_shapeRows, "bottom", tr("Beyond foot"), &scene::Extensions::bottom);
    return shape;
}

void HangingPart::addBend(Rows& rows) {
    auto* around =
        smallButton(QStringLiteral("camera"), tr("Bend it around the camera: every part as far away"));
    auto* bend = new NumberField(scene::Measured::Angle, QStringLiteral("°"), 1, 5);
    bend->setToolTip(tr("Degrees of arc into which its width is bent, hollow towards its front"));
    auto* both = new QWidget;
    auto* row = new QHBoxLayout(both);
    row->setContentsMargins(0, 0, 0, 0);
    row->setSpacing(2);
    row->addWidget(around);
    row->addWidget(bend);
    line(rows.layout(), tr("Bend"), both, 118);
    bend->setAccessibleName(tr("Bend"));
    connect(around, &QToolButton::clicked, this, [this] { hang({{"aroundCamera", true}}); });
    connect(bend, &NumberField::misread, &m_session, &Session::problem);
    connect(bend, &NumberField::entered, this, [this](double v) {
        hang({{"bend", std::clamp(v, -360.0, 360.0)}});
    });
    rows.onRefresh([this, bend] { bend->setValue(layer()->hanging.bend); });
}

void HangingPart::addSide(Rows& rows, const char* member, const QString& name,
                          scene::Extension scene::Extensions::*side) {
    auto* beyond = new QComboBox;
    beyond->addItems({tr("none"), tr("mirror"), tr("repeat"), tr("stretch")});
    beyond->setToolTip(tr("What is seen beyond this edge of the picture"));
    beyond->setAccessibleName(name);
    auto* by = new NumberField(scene::Measured::Percent, QStringLiteral("%"), 0, 10);
    by->setToolTip(tr("How far it goes on, in percent of the picture"));
    by->setFixedWidth(56);
    auto* both = new QWidget;
    auto* row = new QHBoxLayout(both);
    row->setContentsMargins(0, 0, 0, 0);
    row->setSpacing(2);
    row->addWidget(beyond, 1);
    row->addWidget(by);
    line(rows.layout(), name, both, 142);
    connect(beyond, &QComboBox::activated, this, [this, member, by](int i) {
        edit::Edit change = {{"beyond", scene::beyondNames[static_cast<std::size_t>(i)]}};
        // With nothing to see it would not be noticed.
        if (i > 0 && by->value() == 0) change["by"] = 0.5;
        hang({{"extend", {{member, change}}}});
    });
    connect(by, &NumberField::misread, &m_session, &Session::problem);
    connect(by, &NumberField::entered, this, [this, member](double v) {
        hang({{"extend", {{member, {{"by", std::clamp(v / 100, 0.0, 100.0)}}}}}});
    });
    rows.onRefresh([this, beyond, by, side] {
        const scene::Extension& now = layer()->hanging.extensions.*side;
        beyond->setCurrentIndex(static_cast<int>(now.beyond));
        by->setValue(now.by * 100);
        by->setEnabled(now.beyond != scene::Beyond::Nothing);
    });
}

// ---- keys of place

void HangingPart::addKeys() {
    m_keyRow = new QWidget;
    auto* row = new QHBoxLayout(m_keyRow);
    row->setContentsMargins(0, 0, 0, 0);
    m_keys = new QLabel;
    m_keys->setObjectName(QStringLiteral("dim"));
    m_keys->setWordWrap(true);
    auto* remove = smallButton(QStringLiteral("x"), tr("Remove all keys of place; it stays where it is now"));
    row->addWidget(m_keys, 1);
    row->addWidget(remove);
    m_rows.layout()->addWidget(m_keyRow);
    connect(remove, &QToolButton::clicked, this,
            [this] { applyToAll("remove-place-key", edit::Edit::object()); });
    m_rows.onRefresh([this] {
        if (!m_session.document.previewing()) showKeys(); // they do not change in a drag
    });
}

void HangingPart::showKeys() {
    const auto& places = layer()->places;
    m_keyRow->setVisible(!places.empty());
    const bool here = std::any_of(places.begin(), places.end(),
                                  [this](const auto& key) { return key.time == m_session.playhead.time(); });
    m_keys->setText(
        here ? tr("Keyed here: moving it changes this key alone")
             : tr("%n key(s) of place: moving it moves them all", nullptr, static_cast<int>(places.size())));
}

}
