#include "desk/files/queue_window.h"

#include "desk/jobs/background.h"
#include "desk/look/theme.h"

#include <QDesktopServices>
#include <QHBoxLayout>
#include <QHeaderView>
#include <QImageReader>
#include <QLabel>
#include <QProgressBar>
#include <QPushButton>
#include <QTreeWidget>
#include <QUrl>
#include <QVBoxLayout>

namespace stage::desk {
namespace {

using State = output::QueuedJob::State;
constexpr int idRole = Qt::UserRole;
constexpr QSize pictureSize(288, 162);

QString stateText(const output::QueuedJob& job) {
    switch (job.state) {
    case State::Waiting:
        return job.share > 0 ? QueueWindow::tr("waits to go on") : QueueWindow::tr("waits");
    case State::Paused:
        return QueueWindow::tr("paused");
    case State::Running:
        return job.left >= 0 ? QueueWindow::tr("%1 left").arg(durationText(job.left))
                             : QueueWindow::tr("begins");
    case State::Done:
        return QueueWindow::tr("done in %1").arg(durationText(job.passed));
    case State::Failed:
        return QueueWindow::tr("▲ not written");
    case State::Cancelled:
        return QueueWindow::tr("cancelled");
    }
    return {};
}

QString text(std::string_view view) {
    return QString::fromUtf8(view.data(), static_cast<qsizetype>(view.size()));
}

}

QueueWindow::QueueWindow(OutputQueue& queue, QWidget* parent) : QDialog(parent), m_queue(queue) {
    setObjectName(QStringLiteral("queueWindow"));
    setWindowTitle(tr("Queue"));
    setAttribute(Qt::WA_DeleteOnClose);
    resize(860, 420);
    makeList();
    auto* above = new QHBoxLayout;
    auto* left = new QVBoxLayout;
    m_empty = new QLabel(tr("Nothing is queued. Write movie or pictures… (Ctrl+R) puts jobs here."));
    m_empty->setObjectName(QStringLiteral("dim"));
    left->addWidget(m_empty);
    left->addWidget(m_list, 1);
    above->addLayout(left, 1);
    above->addSpacing(12);
    above->addLayout(makeAside());
    auto* all = new QVBoxLayout(this);
    all->setContentsMargins(16, 16, 16, 16);
    all->setSpacing(12);
    all->addLayout(above, 1);
    auto* note =
        new QLabel(tr("Jobs run beside the desk, each with the scene as it was when it was queued, and go on "
                      "when the desk is closed."));
    note->setObjectName(QStringLiteral("dim"));
    note->setWordWrap(true);
    all->addWidget(note);
    all->addLayout(makeButtons());
    connect(&m_queue, &OutputQueue::changed, this, &QueueWindow::refresh);
    refresh();
    // What is under way, or came last.
    const auto& jobs = m_queue.jobs();
    for (int i = static_cast<int>(jobs.size()) - 1; i >= 0; --i)
        if (const State state = jobs[static_cast<std::size_t>(i)].state;
            state == State::Running || state == State::Paused)
            m_list->setCurrentItem(m_list->topLevelItem(i));
}

void QueueWindow::makeList() {
    m_list = new QTreeWidget;
    m_list->setObjectName(QStringLiteral("queueList"));
    m_list->setRootIsDecorated(false);
    m_list->setUniformRowHeights(true);
    m_list->setColumnCount(3);
    m_list->setHeaderLabels({tr("File"), tr("Done"), tr("State")});
    m_list->header()->setStretchLastSection(false);
    m_list->header()->setSectionResizeMode(0, QHeaderView::Stretch);
    m_list->header()->resizeSection(1, 130);
    m_list->header()->resizeSection(2, 130);
    connect(m_list, &QTreeWidget::currentItemChanged, this, &QueueWindow::refreshAside);
}

QLayout* QueueWindow::makeAside() {
    auto* aside = new QVBoxLayout;
    m_picture = new QLabel;
    m_picture->setFixedSize(pictureSize);
    m_picture->setAlignment(Qt::AlignCenter);
    m_picture->setObjectName(QStringLiteral("queuePicture"));
    m_picture->setStyleSheet(
        QStringLiteral("background:%1;color:%2").arg(theme::edge.name(), theme::dim.name()));
    m_about = new QLabel;
    m_problem = new QLabel;
    m_problem->setObjectName(QStringLiteral("warning"));
    for (QLabel* label : {m_about, m_problem}) {
        label->setWordWrap(true);
        label->setFixedWidth(pictureSize.width());
        label->setTextInteractionFlags(Qt::TextSelectableByMouse);
        label->setAlignment(Qt::AlignLeft | Qt::AlignTop);
    }
    aside->addWidget(m_picture);
    aside->addSpacing(8);
    aside->addWidget(m_about);
    aside->addWidget(m_problem, 1);
    return aside;
}

QPushButton*
QueueWindow::button(const QString& text, const char* name, const QString& tip,
                    std::function<Result<void>(const output::Queue&, const std::string&)> change) {
    auto* made = new QPushButton(text);
    made->setObjectName(QLatin1String(name));
    made->setToolTip(tip);
    made->setAutoDefault(false);
    connect(made, &QPushButton::clicked, this, [this, change = std::move(change)] {
        m_queue.change([change, id = selected()](const output::Queue& queue) { return change(queue, id); });
    });
    return made;
}

QLayout* QueueWindow::makeButtons() {
    using output::Queue;
    using Id = std::string;
    m_pause = button(tr("Pause"), "queuePause", tr("Stops where it is, and goes on from there"),
                     [](const Queue& queue, const Id& id) {
                         const auto job = queue.find(id);
                         return queue.pause(id, job && job->state != State::Paused);
                     });
    m_cancel = button(tr("Cancel"), "queueCancel", tr("Ends it; frames that were done go"),
                      [](const Queue& queue, const Id& id) { return queue.cancel(id); });
    m_retry = button(tr("Try again"), "queueRetry", tr("Goes on with the frames that are done"),
                     [](const Queue& queue, const Id& id) { return queue.retry(id); });
    m_remove =
        button(tr("Remove"), "queueRemove", tr("Takes it off the list; the file that was written stays"),
               [](const Queue& queue, const Id& id) { return queue.remove(id); });
    m_earlier = button(tr("Earlier"), "queueEarlier", {},
                       [](const Queue& queue, const Id& id) { return queue.move(id, -1); });
    m_later = button(tr("Later"), "queueLater", {},
                     [](const Queue& queue, const Id& id) { return queue.move(id, 1); });
    m_folder = new QPushButton(tr("Open folder"));
    m_folder->setAutoDefault(false);
    connect(m_folder, &QPushButton::clicked, this, [this] {
        if (const output::QueuedJob* job = m_queue.find(selected()))
            QDesktopServices::openUrl(
                QUrl::fromLocalFile(QString::fromStdString(job->job.path.parent_path().string())));
    });
    auto* close = new QPushButton(tr("Close"));
    close->setAutoDefault(false);
    connect(close, &QPushButton::clicked, this, &QDialog::close);
    auto* row = new QHBoxLayout;
    for (QPushButton* each : {m_pause, m_cancel, m_retry, m_remove, m_earlier, m_later, m_folder})
        row->addWidget(each);
    row->addStretch();
    row->addWidget(close);
    return row;
}

std::string QueueWindow::selected() const {
    const QTreeWidgetItem* item = m_list->currentItem();
    return item ? item->data(0, idRole).toString().toStdString() : std::string();
}

void QueueWindow::refresh() {
    const auto& jobs = m_queue.jobs();
    const std::string current = selected();
    bool same = static_cast<int>(jobs.size()) == m_list->topLevelItemCount();
    for (int i = 0; same && i < m_list->topLevelItemCount(); ++i)
        same = m_list->topLevelItem(i)->data(0, idRole).toString().toStdString() ==
               jobs[static_cast<std::size_t>(i)].id;
    if (!same) {
        m_list->clear();
        for (const output::QueuedJob& job : jobs) {
            auto* item = new QTreeWidgetItem(m_list);
            const QString path = QString::fromStdString(job.job.path.string());
            item->setText(0, QString::fromStdString(job.job.path.filename().string()));
            item->setToolTip(0, path);
            item->setData(0, idRole, QString::fromStdString(job.id));
            auto* bar = new QProgressBar;
            bar->setRange(0, 1000);
            bar->setFormat(QStringLiteral("%p %"));
            m_list->setItemWidget(item, 1, bar);
            if (job.id == current) m_list->setCurrentItem(item);
        }
        if (!m_list->currentItem() && m_list->topLevelItemCount() > 0)
            m_list->setCurrentItem(m_list->topLevelItem(m_list->topLevelItemCount() - 1));
    }
    for (int i = 0; i < m_list->topLevelItemCount(); ++i) {
        const output::QueuedJob& job = jobs[static_cast<std::size_t>(i)];
        QTreeWidgetItem* item = m_list->topLevelItem(i);
        qobject_cast<QProgressBar*>(m_list->itemWidget(item, 1))
            ->setValue(static_cast<int>(1000 * job.share));
        item->setText(2, stateText(job));
    }
    m_empty->setVisible(jobs.empty());
    refreshAside();
}

void QueueWindow::refreshAside() {
    const output::QueuedJob* job = m_queue.find(selected());
    const auto is = [&](std::initializer_list<State> states) {
        return job && std::find(states.begin(), states.end(), job->state) != states.end();
    };
    m_pause->setText(is({State::Paused}) ? tr("Go on") : tr("Pause"));
    m_pause->setEnabled(is({State::Waiting, State::Running, State::Paused}));
    m_cancel->setEnabled(is({State::Waiting, State::Running, State::Paused}));
    m_retry->setEnabled(is({State::Failed, State::Cancelled}));
    m_remove->setEnabled(is({State::Done, State::Failed, State::Cancelled}));
    const int row = m_list->indexOfTopLevelItem(m_list->currentItem());
    m_earlier->setEnabled(job && row > 0);
    m_later->setEnabled(job && row >= 0 && row + 1 < m_list->topLevelItemCount());
    m_folder->setEnabled(job != nullptr);
    m_problem->setText(job ? QString::fromStdString(job->problem) : QString());
    if (!job) {
        m_about->clear();
        m_picture->clear();
        m_shown.clear();
        return;
    }
    m_about->setText(
        tr("%1\n%2, %3 × %4 px, frames %5 to %6")
            .arg(QString::fromStdString(job->job.path.string()), text(output::infoOf(job->job.format).title))
            .arg(job->job.size.x)
            .arg(job->job.size.y)
            .arg(job->job.first)
            .arg(job->job.last));
    showPicture(*job);
}

void QueueWindow::showPicture(const output::QueuedJob& job) {
    onWorker([self = QPointer(this), job, shown = m_shown] {
        const std::filesystem::path path = OutputQueue::lastPicture(job);
        QImage picture;
        if (!path.empty() && path != shown) {
            QImageReader reader(QString::fromStdString(path.string()));
            reader.setScaledSize(reader.size().scaled(pictureSize, Qt::KeepAspectRatio));
            picture = reader.read();
        }
        onInterface([self, id = job.id, path, picture] {
            if (!self || self->selected() != id || path == self->m_shown) return;
            self->m_shown = path;
            if (picture.isNull())
                self->m_picture->setText(tr("No picture yet"));
            else
                self->m_picture->setPixmap(QPixmap::fromImage(picture));
        });
    });
}

}
