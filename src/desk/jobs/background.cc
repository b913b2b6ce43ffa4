#include "desk/jobs/background.h"

#include <QDialog>
#include <QElapsedTimer>
#include <QEventLoop>
#include <QLabel>
#include <QProgressBar>
#include <QPushButton>
#include <QTimer>
#include <QVBoxLayout>
#include <atomic>

namespace stage::desk {
namespace {

constexpr int moment = 300; // ms

}

struct WorkDialog::Shared {
    std::atomic<double> share = 0;
    std::stop_source stop;
};

class WorkDialog::Dialog : public QDialog {
public:
    Dialog(QWidget* owner, const QString& title, std::shared_ptr<Shared> shared)
        : QDialog(owner), m_title(title), m_shared(std::move(shared)) {
        setObjectName(QStringLiteral("progress"));
        setWindowTitle(title);
        setWindowModality(Qt::WindowModal);
        setMinimumWidth(360);
        auto* layout = new QVBoxLayout(this);
        layout->setContentsMargins(18, 16, 18, 14);
        layout->setSpacing(12);
        m_label = new QLabel(title);
        m_bar = new QProgressBar;
        m_bar->setRange(0, 1000);
        m_bar->setAccessibleName(title);
        m_cancel = new QPushButton(QObject::tr("Cancel"));
        layout->addWidget(m_label);
        layout->addWidget(m_bar);
        layout->addWidget(m_cancel, 0, Qt::AlignRight);
        connect(m_cancel, &QPushButton::clicked, this, &QDialog::reject);
        connect(&m_tick, &QTimer::timeout, this, [this] { tick(); });
        m_tick.start(100);
        m_since.start();
    }
    ~Dialog() override { m_shared->stop.request_stop(); }

    /// Esc, the window's own close and Cancel: the dialog stays until the work has stopped.
    void reject() override {
        m_shared->stop.request_stop();
        m_cancel->setEnabled(false);
        m_label->setText(QObject::tr("%1: stopping").arg(m_title));
    }

private:
    void tick() {
        if (!isVisible() && m_since.elapsed() >= moment) show();
        if (m_shared->stop.stop_requested()) return;
        const double share = m_shared->share;
        m_bar->setValue(static_cast<int>(share * 1000));
        const double seconds = static_cast<double>(m_since.elapsed()) / 1000;
        if (!(share > 0.01 && seconds > 1)) return;
        const int left = static_cast<int>(seconds / share - seconds + 0.5);
        m_label->setText(QObject::tr("%1\n%2:%3 left")
                             .arg(m_title)
                             .arg(left / 60)
                             .arg(left % 60, 2, 10, QLatin1Char('0')));
    }

    QString m_title;
    std::shared_ptr<Shared> m_shared;
    QLabel* m_label;
    QProgressBar* m_bar;
    QPushButton* m_cancel;
    QTimer m_tick;
    QElapsedTimer m_since;
};

WorkDialog::WorkDialog(QWidget* owner, const QString& title)
    : m_shared(std::make_shared<Shared>()), m_dialog(new Dialog(owner, title, m_shared)) {}

Progress WorkDialog::progress() const {
    return {[shared = m_shared](double share) { shared->share = share; }, m_shared->stop.get_token()};
}

void WorkDialog::end() {
    if (!m_dialog) return;
    // At once: what is deleted later lives on while what follows runs an event loop of its own.
    delete m_dialog;
}

void waitUntil(const std::function<bool()>& ready) {
    QElapsedTimer since;
    since.start();
    QEventLoop loop;
    QTimer tick; // wakes the loop up
    tick.start(10);
    while (!ready())
        loop.processEvents(since.elapsed() < moment
                               ? QEventLoop::WaitForMoreEvents | QEventLoop::ExcludeUserInputEvents
                               : QEventLoop::ProcessEventsFlags(QEventLoop::WaitForMoreEvents));
}

}
