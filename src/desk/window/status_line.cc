#include "desk/window/status_line.h"

#include "desk/camera/camera_view.h"
#include "desk/kit/elided_label.h"
#include "desk/kit/number_field.h"
#include "desk/session/findings.h"
#include "desk/time/pace_view.h"
#include "motion/measure.h"
#include "optics/lens.h"

#include <QStatusBar>
#include <QStyle>
#include <QToolButton>
#include <cmath>

namespace stage::desk {

StatusLine::StatusLine(QStatusBar* bar, Session& session, const Views& views, const Findings& findings,
                       const MediaWatch& media)
    : QObject(bar), m_session(session), m_views(views), m_findings(findings), m_media(media),
      m_state(new ElidedLabel), m_sharp(new QLabel), m_cache(new QLabel),
      m_recoveryOff(new QLabel(tr("▲ Recovery is off"))), m_findingsButton(new QToolButton) {
    m_findingsButton->setObjectName(QStringLiteral("findingsButton"));
    m_findingsButton->setFocusPolicy(Qt::TabFocus);
    m_findingsButton->setWhatsThis(
        tr("<b>Findings</b><p>What stands in the way of a believable move, each with what "
           "would mend it."));
    m_sharp->setObjectName(QStringLiteral("dim"));
    m_cache->setObjectName(QStringLiteral("dim"));
    m_cache->setContentsMargins(24, 0, 0, 0);
    m_recoveryOff->setObjectName(QStringLiteral("warning"));
    bar->setSizeGripEnabled(false);
    bar->setContentsMargins(10, 0, 10, 0);
    bar->addWidget(m_state, 1);
    for (QWidget* each : std::initializer_list<QWidget*>{m_recoveryOff, m_findingsButton, m_sharp, m_cache})
        bar->addPermanentWidget(each);

    connect(m_findingsButton, &QToolButton::clicked, this, &StatusLine::askForFindings);
    connect(&m_findings, &Findings::changed, this, &StatusLine::refreshFindings);
    connect(&m_media, &MediaWatch::looked, this, &StatusLine::refresh);
    connect(&m_views.camera->picture(), &CameraPicture::refinedAll, this, &StatusLine::refresh);
    connect(&m_views.camera->picture(), &CameraPicture::cacheChanged, this, &StatusLine::refresh);
    m_timesTold.setInterval(1000);
    connect(&m_timesTold, &QTimer::timeout, this, [this] {
        m_sharp->setText(aboutTimes());
        m_sharp->setToolTip(tr("Work and waiting of all threads together"));
    });
    m_sayOver.setSingleShot(true);
    connect(&m_sayOver, &QTimer::timeout, this, &StatusLine::refresh);
    connect(&m_session, &Session::problem, this, [this](const QString& sentence) { say(sentence, true); });
    connect(&m_session, &Session::said, this, [this](const QString& sentence) { say(sentence, false); });
    connect(&m_session.document, &Document::sceneChanged, this, &StatusLine::refresh);
    connect(&m_session.document, &Document::recoveryChanged, this, &StatusLine::refreshRecovery);
    connect(&m_session.selection, &Selection::layersChanged, this, &StatusLine::refresh);
    connect(&m_session.camera, &ShownCamera::changed, this, &StatusLine::refresh);
    m_session.playhead.beat().follow(bar, Beat::Rank::Numbers, [this] { refresh(); });
    refreshRecovery();
    refresh();
}

void StatusLine::say(const QString& sentence, bool problem) {
    m_state->setText((problem ? QStringLiteral("▲  ") : QStringLiteral("●  ")) + sentence);
    m_state->setToolTip(sentence);
    m_state->setStyleSheet(problem ? QStringLiteral("color:#F0A58F") : QString());
    m_sayOver.start(problem ? 12000 : 4000);
}

void StatusLine::askForFindings() {
    Q_EMIT findingsAsked(m_findingsButton->mapToGlobal(QPoint(0, 0)));
}

void StatusLine::refresh() {
    const CameraPicture& picture = m_views.camera->picture();
    const int percent = qRound(100 * picture.share());
    QString how = picture.refined() ? tr("final")
                                    : (picture.coarse() ? tr("coarse draft %1 ms") : tr("draft %1 ms"))
                                          .arg(picture.milliseconds(), 0, 'f', 0);
    if (percent < 100) how += tr(" at %1 % of its size").arg(percent);
    m_cache->setText(tr("%1 of %2 frames cached · %3")
                         .arg(picture.cache().count())
                         .arg(m_session.scene()->output.frames)
                         .arg(how));
    showSharpness();
    if (m_sayOver.isActive()) return;
    m_state->setStyleSheet(QString());
    m_state->setText(aboutScene());
}

void StatusLine::showTimes(bool on) {
    measureTimes(on);
    m_times = timesMeasured();
    if (on)
        m_timesTold.start();
    else
        m_timesTold.stop();
    refresh();
}

/// The stages that took longest since this was last asked.
QString StatusLine::aboutTimes() {
    static const char* const names[] = {QT_TR_NOOP("decode"),  QT_TR_NOOP("read back"), QT_TR_NOOP("levels"),
                                        QT_TR_NOOP("convert"), QT_TR_NOOP("draw"),      QT_TR_NOOP("cut"),
                                        QT_TR_NOOP("lay out"), QT_TR_NOOP("sample"),    QT_TR_NOOP("lens"),
                                        QT_TR_NOOP("mix"),     QT_TR_NOOP("round"),     QT_TR_NOOP("encode"),
                                        QT_TR_NOOP("wait")};
    static_assert(std::size(names) == std::tuple_size_v<StageTimes>);
    const StageTimes now = timesMeasured();
    std::vector<std::pair<double, std::size_t>> spent;
    for (std::size_t i = 0; i < now.size(); ++i)
        if (const double ms = std::chrono::duration<double, std::milli>(now[i] - m_times[i]).count(); ms >= 1)
            spent.emplace_back(ms, i);
    m_times = now;
    std::sort(spent.rbegin(), spent.rend());
    spent.resize(std::min<std::size_t>(spent.size(), 5));
    QStringList parts;
    for (const auto& [ms, i] : spent)
        parts << tr("%1 %2 ms").arg(tr(names[i])).arg(ms, 0, 'f', 0);
    return parts.isEmpty() ? tr("Last second: nothing rendered")
                           : tr("Last second: %1").arg(parts.join(QStringLiteral(" · ")));
}

void StatusLine::showSharpness() {
    if (m_timesTold.isActive()) return;
    const scene::Scene& scene = *m_session.scene();
    const optics::Sharpness sharp =
        optics::sharpnessOf(m_session.camera.pose(), scene.camera.gate, scene.output.frame);
    m_sharp->setText(tr("Sharp %1 to %2 · hyperfocal %3 m · peak %4 m/s")
                         .arg(figure(sharp.near, 2),
                              std::isinf(sharp.far) ? QStringLiteral("∞") : figure(sharp.far, 2) + tr(" m"),
                              figure(sharp.hyperfocal, 2), figure(m_views.pace->peak(), 2)));
    m_sharp->setToolTip(tr("Between these depths from the camera a point is blurred by at most %1 px")
                            .arg(figure(sharp.disc, 2)));
}

QString StatusLine::aboutScene() const {
    if (const auto missing = static_cast<int>(m_media.missing().size()); missing > 0)
        return tr("▲  %n layer(s) without media", nullptr, missing);
    const auto& chosen = m_session.selection.layers();
    const scene::LayerPath found =
        chosen.size() == 1 ? m_session.now().find(chosen.front()) : scene::LayerPath{};
    if (found.layer) {
        const motion::Measure measure = motion::measureAt(m_session.now(), found);
        const QString text = tr("●  %1 · %2 m · blur %3 px")
                                 .arg(QString::fromStdString(found.layer->name), figure(measure.depth, 2),
                                      figure(measure.blur, 1));
        if (measure.enlargement <= 1.005) return text;
        return text + tr(" · ▲ enlarged to %1 %").arg(figure(measure.enlargement * 100, 0));
    }
    int count = 0;
    scene::forEach(*m_session.scene(), [&](const auto&, const auto&) { ++count; });
    return count == 0 ? tr("●  No layers yet") : tr("●  %n layer(s), all media present", nullptr, count);
}

void StatusLine::refreshFindings() {
    static const char* const believable[] = {
        QT_TR_NOOP("● believable by hand"), QT_TR_NOOP("● believable on a dolly"),
        QT_TR_NOOP("● believable on a crane"), QT_TR_NOOP("● believable by drone")};
    const checks::Report& report = m_findings.report();
    const auto count = static_cast<int>(report.findings.size());
    m_findingsButton->setText(count > 0    ? tr("▲ %n finding(s)", nullptr, count)
                              : report.rig ? tr(believable[static_cast<std::size_t>(*report.rig)])
                                           : tr("● nothing found"));
    m_findingsButton->setProperty("warns", count > 0);
    m_findingsButton->style()->unpolish(m_findingsButton);
    m_findingsButton->style()->polish(m_findingsButton);
    m_findingsButton->setToolTip(count > 0 ? QString::fromStdString(report.findings.front().sentence)
                                           : tr("At most %1 m/s, %2 m/s², %3 °/s")
                                                 .arg(figure(report.speed, 2), figure(report.acceleration, 2),
                                                      figure(report.turning, 1)));
}

void StatusLine::refreshRecovery() {
    const QString why = QString::fromStdString(m_session.document.recoveryOff());
    m_recoveryOff->setVisible(!why.isEmpty());
    m_recoveryOff->setToolTip(why);
    if (!why.isEmpty()) say(why, true);
}

}
