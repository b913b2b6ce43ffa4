#include "desk/details/hanging_part.h"

#include "desk/details/field_row.h"
#include "desk/kit/form.h"
#include "motion/resolved_scene.h"

#include <QComboBox>
#include <QLabel>
#include <QPushButton>
#include <QVBoxLayout>
#include <algorithm>

namespace stage::desk {

HangingPart::HangingPart(Session& session, QWidget* parent) : QWidget(parent), m_session(session) {
    using scene::Measured;
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(4);
    section(layout, tr("Hanging"));
    m_pivotAcross =
        field(m_session, layout, tr("Pivot across"), Measured::Percent, QStringLiteral("%"), 0, 5,
              tr("Where it turns and scales about: 0 is its left edge, 100 its right one. What is seen "
                 "does not change"));
    m_pivotUp = field(m_session, layout, tr("Pivot up"), Measured::Percent, QStringLiteral("%"), 0, 5,
                      tr("0 is its foot, 100 its top. Its depth is measured at the pivot"));
    m_facing = choice(layout, tr("Faces camera"), {tr("no"), tr("upright"), tr("fully")}, 0,
                      tr("Turns to the camera by itself, about the vertical only or fully"));
    m_follows = new QComboBox;
    m_follows->setToolTip(tr("The layer that carries it, as if they were one; it stays where it is"));
    m_follows->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
    line(layout, tr("Follows"), m_follows, 118);
    m_shape = new QWidget;
    auto* shape = new QVBoxLayout(m_shape);
    shape->setContentsMargins(0, 0, 0, 0);
    shape->setSpacing(4);
    auto* around =
        smallButton(QStringLiteral("camera"), tr("Bend it around the camera: every part as far away"));
    m_bend = new NumberField(Measured::Angle, QStringLiteral("°"), 1, 5);
    m_bend->setToolTip(tr("Degrees of arc into which its width is bent, hollow towards its front"));
    connect(m_bend, &NumberField::misread, &m_session, &Session::problem);
    auto* bend = new QWidget;
    auto* bendRow = new QHBoxLayout(bend);
    bendRow->setContentsMargins(0, 0, 0, 0);
    bendRow->setSpacing(2);
    bendRow->addWidget(around);
    bendRow->addWidget(m_bend);
    line(shape, tr("Bend"), bend, 118);
    m_bend->setAccessibleName(tr("Bend"));
    const struct {
        const char *name, *text;
    } sides[] = {{"left", QT_TR_NOOP("Beyond left")},
                 {"right", QT_TR_NOOP("Beyond right")},
                 {"top", QT_TR_NOOP("Beyond top")},
                 {"bottom", QT_TR_NOOP("Beyond foot")}};
    for (const auto& each : sides) {
        auto* beyond = new QComboBox;
        beyond->addItems({tr("none"), tr("mirror"), tr("repeat"), tr("stretch")});
        beyond->setToolTip(tr("What is seen beyond this edge of the picture"));
        beyond->setAccessibleName(tr(each.text));
        auto* by = new NumberField(Measured::Percent, QStringLiteral("%"), 0, 10);
        by->setToolTip(tr("How far it goes on, in percent of the picture"));
        by->setFixedWidth(56);
        connect(by, &NumberField::misread, &m_session, &Session::problem);
        auto* both = new QWidget;
        auto* row = new QHBoxLayout(both);
        row->setContentsMargins(0, 0, 0, 0);
        row->setSpacing(2);
        row->addWidget(beyond, 1);
        row->addWidget(by);
        line(shape, tr(each.text), both, 142);
        m_sides.push_back({each.name, beyond, by});
        connect(beyond, &QComboBox::activated, this, [this, name = each.name, by](int i) {
            edit::Edit side = {{"beyond", scene::beyondNames[static_cast<std::size_t>(i)]}};
            // With nothing to see it would not be noticed.
            if (i > 0 && by->value() == 0) side["by"] = 0.5;
            hang({{"extend", {{name, side}}}});
        });
        connect(by, &NumberField::entered, this, [this, name = each.name](double v) {
            hang({{"extend", {{name, {{"by", std::clamp(v / 100, 0.0, 100.0)}}}}}});
        });
    }
    layout->addWidget(m_shape);
    m_tags = new QLabel;
    m_tags->setObjectName(QStringLiteral("dim"));
    m_tags->setWordWrap(true);
    layout->addWidget(m_tags);
    m_keyRow = new QWidget;
    auto* keyRow = new QHBoxLayout(m_keyRow);
    keyRow->setContentsMargins(0, 0, 0, 0);
    m_keys = new QLabel;
    m_keys->setObjectName(QStringLiteral("dim"));
    m_keys->setWordWrap(true);
    auto* off = smallButton(QStringLiteral("x"), tr("Remove all keys of place; it stays where it is now"));
    keyRow->addWidget(m_keys, 1);
    keyRow->addWidget(off);
    layout->addWidget(m_keyRow);
    connect(off, &QToolButton::clicked, this, [this] {
        m_session.document.apply(edit::onLayers("remove-place-key", m_session.selection.layers()));
    });

    const auto pivot = [this] {
        const auto layer = m_session.selection.only().layer;
        if (!layer || layer->group()) return;
        m_session.document.apply(m_session.onSelection(
            "pivot", {{"to", {m_pivotAcross->value() / 100 - 0.5, m_pivotUp->value() / 100 - 0.5}}}));
    };
    connect(m_pivotAcross, &NumberField::entered, this, pivot);
    connect(m_pivotUp, &NumberField::entered, this, pivot);
    connect(m_facing, &QComboBox::activated, this, [this](int i) {
        hang({{"facing", scene::facingNames[static_cast<std::size_t>(i)]}});
    });
    connect(m_bend, &NumberField::entered, this, [this](double v) {
        hang({{"bend", std::clamp(v, -360.0, 360.0)}});
    });
    connect(around, &QToolButton::clicked, this, [this] { hang({{"aroundCamera", true}}); });
    connect(m_follows, &QComboBox::activated, this, [this](int i) {
        const std::int64_t leader = m_leaders[static_cast<std::size_t>(i)];
        m_session.document.apply(
            edit::onLayers("follow", m_session.selection.layers(),
                           {{"leader", leader ? edit::Edit(leader) : edit::Edit(nullptr)}}));
    });
}

void HangingPart::hang(const edit::Edit& how) {
    edit::Edit edit = edit::onLayers("hang", m_session.selection.layers(), how);
    if (how.contains("bend") || how.contains("aroundCamera")) {
        edit["holdFraming"] = m_session.holdFraming();
        edit["mark"] = m_session.referenceMark() + 1;
        edit["time"] = m_session.playhead.time().text();
    }
    m_session.document.apply(edit);
}

void HangingPart::refresh() {
    const scene::LayerPath found = m_session.selection.only();
    setVisible(found.layer != nullptr);
    if (!found.layer) return;
    const scene::Layer& layer = *found.layer;
    const bool flat = !layer.group();
    m_shape->setVisible(flat);
    for (NumberField* each : {m_pivotAcross, m_pivotUp})
        each->setEnabled(flat);
    if (flat) {
        m_pivotAcross->setValue(100 *
                                (layer.hanging.pivot.x / (layer.pixels.x * layer.metresPerPixel) + 0.5));
        m_pivotUp->setValue(100 * (layer.hanging.pivot.y / (layer.pixels.y * layer.metresPerPixel) + 0.5));
    }
    m_facing->setCurrentIndex(static_cast<int>(layer.hanging.facing));
    m_bend->setValue(layer.hanging.bend);
    const scene::Extensions& on = layer.hanging.extensions;
    const scene::Extension* sides[] = {&on.left, &on.right, &on.top, &on.bottom};
    for (std::size_t i = 0; i < m_sides.size(); ++i) {
        m_sides[i].beyond->setCurrentIndex(static_cast<int>(sides[i]->beyond));
        m_sides[i].by->setValue(sides[i]->by * 100);
        m_sides[i].by->setEnabled(sides[i]->beyond != scene::Beyond::Nothing);
    }
    if (m_session.document.previewing()) return; // what follows does not change in a drag
    std::vector<std::int64_t> leaders{0};
    QStringList names{tr("nothing")};
    scene::forEach(*m_session.scene(), [&](const scene::LayerPtr& each, const auto&) {
        if (each->id == layer.id || leaders.size() > 500) return;
        leaders.push_back(each->id);
        names << QString::fromStdString(each->name);
    });
    bool same = leaders == m_leaders && names.size() == m_follows->count();
    for (int i = 0; same && i < m_follows->count(); ++i)
        same = m_follows->itemText(i) == names[i];
    if (!same) {
        m_leaders = leaders;
        m_follows->clear();
        m_follows->addItems(names);
    }
    const auto leader = std::find(m_leaders.begin(), m_leaders.end(), layer.follows);
    m_follows->setCurrentIndex(leader == m_leaders.end() ? 0 : static_cast<int>(leader - m_leaders.begin()));
    QStringList tags;
    for (const std::string& tag : layer.tags)
        tags << QString::fromStdString(tag);
    m_tags->setVisible(!tags.isEmpty());
    m_tags->setText(tr("Tags: %1").arg(tags.join(QStringLiteral(", "))));
    m_keyRow->setVisible(!layer.places.empty());
    const bool here = std::any_of(layer.places.begin(), layer.places.end(),
                                  [this](const auto& key) { return key.time == m_session.playhead.time(); });
    m_keys->setText(here ? tr("Keyed here: moving it changes this key alone")
                         : tr("%1: moving it moves them all")
                               .arg(counted(static_cast<qint64>(layer.places.size()), tr("key of place"),
                                            tr("keys of place"))));
}

}
