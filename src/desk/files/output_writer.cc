#include "desk/files/output_writer.h"

#include "desk/dialogs/output_dialog.h"
#include "desk/files/queue_window.h"

#include <QFileDialog>
#include <QStyle>
#include <QToolButton>
#include <algorithm>

namespace stage::desk {

using State = output::QueuedJob::State;

OutputWriter::OutputWriter(QWidget* window, Session& session)
    : QObject(window), m_window(window), m_session(session), m_queue(new OutputQueue(this)) {
    connect(m_queue, &OutputQueue::changed, this, &OutputWriter::refresh);
    connect(m_queue, &OutputQueue::ended, this, &OutputWriter::tellOf);
    connect(m_queue, &OutputQueue::refused, this,
            [this](const QString& sentence) { m_session.tell({sentence.toStdString()}); });
}

void OutputWriter::choose() {
    for (const OutputChoice& each : askOutput(m_window, m_session.scene(), m_session.document.path()))
        write(each.scene, each.job);
}

void OutputWriter::write(const scene::ScenePtr& scene, const output::Job& job) {
    m_queue->add(scene, job, [this, name = job.path.filename().string()](const auto& id) {
        if (id) {
            m_own.insert(*id);
            return Q_EMIT m_session.said(tr("%1 is queued.").arg(QString::fromStdString(name)));
        }
        m_session.tell(id.error());
        Q_EMIT written(false);
    });
}

void OutputWriter::chooseStill() {
    const scene::Scene& scene = *m_session.scene();
    const std::int64_t frame = m_session.playhead.frame();
    const std::filesystem::path document = m_session.document.path();
    const QString base = document.empty()
                             ? QDir::homePath() + QStringLiteral("/still")
                             : QString::fromStdString((document.parent_path() / document.stem()).string());
    QStringList filters;
    for (const output::FormatInfo& info : output::formats()) {
        if (info.movie || info.layered) continue;
        QStringList suffixes;
        for (const auto& suffix : info.suffixes)
            suffixes << QStringLiteral("*") +
                            QString::fromUtf8(suffix.data(), static_cast<qsizetype>(suffix.size()));
        filters << QStringLiteral("%1 (%2)").arg(
            QString::fromUtf8(info.title.data(), static_cast<qsizetype>(info.title.size())),
            suffixes.join(QLatin1Char(' ')));
    }
    const QString chosen =
        QFileDialog::getSaveFileName(m_window, tr("Write frame %1 as a picture").arg(frame),
                                     base + QStringLiteral("-%1.png").arg(frame, 4, 10, QLatin1Char('0')),
                                     filters.join(QStringLiteral(";;")));
    if (chosen.isEmpty()) return;
    const std::filesystem::path path = chosen.toStdString();
    const auto format = output::formatOf(path);
    if (!format || output::infoOf(*format).movie)
        return m_session.tell({tr("'%1' should end in .png, .tif, .exr or .jpg.")
                                   .arg(QString::fromStdString(path.filename().string()))
                                   .toStdString()});
    output::Job job = output::wholeScene(scene, path, *format);
    job.first = job.last = frame;
    write(job);
}

void OutputWriter::showQueue() {
    if (!m_queueWindow) m_queueWindow = new QueueWindow(*m_queue, m_window);
    m_queueWindow->show();
    m_queueWindow->raise();
    m_queueWindow->activateWindow();
}

QToolButton* OutputWriter::button() {
    m_button = new QToolButton;
    m_button->setObjectName(QStringLiteral("queueButton"));
    m_button->setFocusPolicy(Qt::TabFocus);
    m_button->setToolButtonStyle(Qt::ToolButtonTextOnly);
    m_button->setText(tr("Queue")); // as high as it will be, so that the line does not grow
    m_button->setToolTip(tr("Open the queue"));
    m_button->setWhatsThis(
        tr("<b>Queue</b><p>What is being written and what waits for it. Jobs run beside the "
           "desk, and go on when it is closed."));
    connect(m_button, &QToolButton::clicked, this, &OutputWriter::showQueue);
    refresh();
    return m_button;
}

void OutputWriter::refresh() {
    int waiting = 0, failed = 0;
    const output::QueuedJob* running = nullptr;
    for (const output::QueuedJob& job : m_queue->jobs()) {
        waiting += job.state == State::Waiting || job.state == State::Paused;
        failed += job.state == State::Failed;
        if (job.state == State::Running) running = &job;
    }
    if (const bool busy = running != nullptr; busy != m_busy) {
        m_busy = busy;
        m_session.setWriting(busy); // pictures for playing can wait
    }
    if (!m_button) return;
    QString text;
    if (running) {
        text = tr("Writing %1: %2 %")
                   .arg(QString::fromStdString(running->job.path.filename().string()))
                   .arg(static_cast<int>(100 * running->share));
        if (running->left >= 0) text += tr(", %1 left").arg(durationText(running->left));
        if (waiting) text += tr(", %n more", nullptr, waiting);
    } else if (waiting) {
        text = tr("%n job(s) waiting", nullptr, waiting);
    } else if (failed) {
        text = tr("▲ %n job(s) not written", nullptr, failed);
    }
    m_button->setVisible(!text.isEmpty());
    if (!text.isEmpty()) m_button->setText(text);
    if (const bool warns = failed && !running && !waiting; warns != m_button->property("warns").toBool()) {
        m_button->setProperty("warns", warns);
        m_button->style()->polish(m_button);
    }
}

void OutputWriter::tellOf(const output::QueuedJob& job) {
    const QString path = QString::fromStdString(job.job.path.string());
    if (job.state == State::Done)
        Q_EMIT m_session.said(tr("Wrote %1.").arg(path));
    else if (job.state == State::Cancelled)
        Q_EMIT m_session.said(tr("Cancelled; nothing half remains."));
    else
        m_session.tell({job.problem});
    if (m_own.erase(job.id) > 0) Q_EMIT written(job.state == State::Done);
}

}
