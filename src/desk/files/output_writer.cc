#include "desk/files/output_writer.h"

#include "desk/dialogs/output_dialog.h"
#include "desk/jobs/background.h"

namespace stage::desk {

OutputWriter::OutputWriter(QWidget* window, Session& session)
    : QObject(window), m_window(window), m_session(session) {}

void OutputWriter::choose() {
    if (const auto job = askOutput(m_window, *m_session.scene(), m_session.document.path())) write(*job);
}

void OutputWriter::write(const output::Job& job) {
    m_session.setWriting(true);
    inBackground<void>(
        m_window, tr("Writing %1").arg(QString::fromStdString(job.path.filename().string())),
        [scene = m_session.scene(), sources = m_session.sharedSources(), job](const Progress& progress) {
            return output::write(*scene, job, *sources, progress);
        },
        [this, job](Result<void> result) {
            m_session.setWriting(false);
            if (result)
                Q_EMIT m_session.said(tr("Wrote %1.").arg(QString::fromStdString(job.path.string())));
            else if (result.error().cancelled)
                Q_EMIT m_session.said(tr("Cancelled; nothing half remains."));
            else
                m_session.tell(result.error());
            Q_EMIT written(result.has_value());
        });
}

}
