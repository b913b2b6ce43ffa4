#include "desk/details/details_panel.h"

#include "desk/details/air_part.h"
#include "desk/details/camera_part.h"
#include "desk/details/content_part.h"
#include "desk/details/finish_part.h"
#include "desk/details/grade_part.h"
#include "desk/details/hanging_part.h"
#include "desk/details/light_part.h"
#include "desk/details/look_part.h"
#include "desk/details/many_part.h"
#include "desk/details/placement_part.h"
#include "desk/details/shadow_part.h"
#include "desk/details/time_part.h"
#include "desk/details/words_part.h"
#include "media/content.h"

#include <QLabel>
#include <QScrollArea>
#include <QVBoxLayout>

namespace stage::desk {

DetailsPanel::DetailsPanel(Session& session, QWidget* parent)
    : QWidget(parent), m_session(session), m_missing(new QLabel) {
    auto* outer = new QVBoxLayout(this);
    outer->setContentsMargins(0, 0, 0, 0);
    auto* scroll = new QScrollArea;
    scroll->setWidgetResizable(true);
    scroll->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    auto* page = new QWidget;
    page->setObjectName(QStringLiteral("panel"));
    auto* layout = new QVBoxLayout(page);
    layout->setContentsMargins(12, 8, 12, 10);
    layout->setSpacing(4);
    m_missing->setObjectName(QStringLiteral("warning"));
    m_missing->setWordWrap(true);
    layout->addWidget(m_missing);
    m_parts = {new ManyPart(session),      new PlacementPart(session),    new LookPart(session),
               new ParticlesPart(session), new CloudPart(session),        new WordsPart(session),
               new HangingPart(session),   new TimePart(session),         new FootagePart(session),
               new TextPart(session),      new CardPart(session),         new DisplacementPart(session),
               new LampPart(session),      new ShadingPart(session),      new ShadowPart(session),
               new FinishPart(session),    new GradePart(session, false), new CameraPart(session),
               new GlarePart(session),     new DepthGradePart(session),   new GradePart(session, true)};
    for (Part* part : m_parts)
        layout->addWidget(part);
    layout->addStretch();
    scroll->setWidget(page);
    outer->addWidget(scroll);
    connect(&m_session.document, &Document::sceneChanged, this, &DetailsPanel::refresh);
    connect(&m_session.selection, &Selection::layersChanged, this, &DetailsPanel::refresh);
    connect(&m_session.camera, &ShownCamera::changed, this, &DetailsPanel::refresh);
    m_session.playhead.beat().follow(this, Beat::Rank::Numbers, [this] { refresh(); });
    refresh();
}

void DetailsPanel::refresh() {
    const auto [name, note] = title();
    Q_EMIT titleChanged(name, note);
    refreshMissing();
    for (Part* part : m_parts)
        part->refresh();
}

std::pair<QString, QString> DetailsPanel::title() const {
    static const std::array<const char*, scene::layerKinds.size()> kinds = {
        QT_TR_NOOP("picture"), QT_TR_NOOP("footage"),   QT_TR_NOOP("text"),  QT_TR_NOOP("group"),
        QT_TR_NOOP("card"),    QT_TR_NOOP("particles"), QT_TR_NOOP("cloud"), QT_TR_NOOP("lamp")};
    const auto count = static_cast<int>(m_session.selection.layers().size());
    if (count > 1) return {tr("%n layer(s)", nullptr, count), tr("moved together")};
    if (const scene::LayerPtr layer = m_session.selection.only().layer) {
        QString note = tr(kinds[layer->content.index()]);
        if (const auto* lamp = std::get_if<scene::Lamp>(&layer->content))
            note += tr(" · reaches %1 m").arg(figure(lamp->reach, 1));
        else if (const V3d* box = layer->box())
            note += tr(" · %1×%2×%3 m").arg(figure(box->x, 1), figure(box->y, 1), figure(box->z, 1));
        else if (!layer->group())
            note += QStringLiteral(" · %1 × %2").arg(layer->pixels.x).arg(layer->pixels.y);
        return {QString::fromStdString(layer->name), note};
    }
    const int mark = m_session.camera.markHere();
    if (mark >= 0)
        return {tr("Mark %1").arg(mark + 1),
                QString::fromStdString(m_session.scene()->camera.marks[static_cast<std::size_t>(mark)].name)};
    return {tr("Camera"), m_session.camera.offHere() ? tr("off the move") : tr("on the move")};
}

void DetailsPanel::refreshMissing() {
    const scene::LayerPtr layer = m_session.selection.only().layer;
    const bool missing = layer && !media::isThere(*layer);
    m_missing->setVisible(missing);
    if (missing)
        m_missing->setText(tr("Missing: %1").arg(QString::fromStdString(scene::mediaOf(*layer)->path)));
}

}
