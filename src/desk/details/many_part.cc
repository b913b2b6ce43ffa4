#include "desk/details/many_part.h"

#include "desk/kit/form.h"

#include <QComboBox>
#include <QHBoxLayout>
#include <QPushButton>
#include <QToolButton>
#include <algorithm>

namespace stage::desk {

ManyPart::ManyPart(Session& session) : Part(session) {
    m_rows.section(tr("All of them"));
    addPushes();
    addSpread();
    m_rows.section(tr("In the frame"));
    addAligns();
}

void ManyPart::addPushes() {
    NumberField* by =
        m_rows.entry(tr("Push by"), metres(0.1), tr("All by the same distance, metres; Enter does it"));
    by->setObjectName(QStringLiteral("pushBy"));
    connect(by, &NumberField::entered, this, [this, by](double v) {
        if (v != 0) apply(m_session.push({{"by", v}}));
        by->setValue(0);
    });
    m_allAt = m_rows.entry(tr("All at"), metres(0.1), tr("All to this depth, metres; Enter does it"),
                           [this](double v) {
                               apply(m_session.push({{"depth", v}}));
                           });
    NumberField* ratio =
        m_rows.entry(tr("Push to"), percent(5), tr("All by the same ratio of their depths; Enter does it"));
    ratio->setValue(100);
    connect(ratio, &NumberField::entered, this, [this, ratio](double v) {
        if (v > 0 && v != 100) apply(m_session.push({{"ratio", v / 100}}));
        ratio->setValue(100);
    });
}

void ManyPart::addSpread() {
    NumberField* from =
        m_rows.entry(tr("Nearest"), metres(0.5), tr("Depth of the nearest one when they are spread, metres"));
    NumberField* to = m_rows.entry(tr("Farthest"), metres(0.5),
                                   tr("Depth of the farthest one when they are spread, metres"));
    from->setObjectName(QStringLiteral("manyFrom"));
    to->setObjectName(QStringLiteral("manyTo"));
    auto* steps = choice(m_rows.layout(), tr("Steps"), {tr("even"), tr("equal parallax")}, 0,
                         tr("Equal distances, or equal differences of travel in the frame"));
    auto* spread = new QPushButton(tr("Spread in depth"));
    spread->setObjectName(QStringLiteral("spread"));
    m_rows.layout()->addWidget(spread);
    connect(spread, &QPushButton::clicked, this, [this, from, to, steps] {
        apply(m_session.push({{"spread", {from->value(), to->value()}},
                              {"steps", steps->currentIndex() == 0 ? "even" : "parallax"}}));
    });
    const auto show = [this, from, to] {
        const auto [near, far] = depths();
        if (near > far) return;
        from->setValue(near);
        to->setValue(far);
        m_allAt->setValue(near);
    };
    connect(&m_session.selection, &Selection::layersChanged, this, show);
    connect(&m_session.document, &Document::sceneChanged, this, show);
}

std::pair<double, double> ManyPart::depths() const {
    std::pair<double, double> range{1e300, -1e300};
    for (const std::int64_t id : m_session.selection.layers()) {
        const double depth = m_session.now().depthOf(m_session.now().find(id));
        range = {std::min(range.first, depth), std::max(range.second, depth)};
    }
    return range;
}

void ManyPart::addAligns() {
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
            apply(whole);
        });
        button->setFixedSize(25, 25);
        row->addWidget(button);
    }
    row->addStretch();
    m_rows.layout()->addLayout(row);
}

}
