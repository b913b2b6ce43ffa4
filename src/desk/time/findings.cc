#include "desk/time/findings.h"

#include "desk/jobs/workers.h"
#include "desk/kit/number_field.h"
#include "scene/quantity.h"

#include <QApplication>
#include <QHBoxLayout>
#include <QLabel>
#include <QPointer>
#include <QPushButton>
#include <QScrollArea>
#include <QVBoxLayout>

namespace stage::desk {

Findings::Findings(Session& session, QObject* parent) : QObject(parent), m_session(session) {
    m_settled.setSingleShot(true);
    m_settled.setInterval(250);
    connect(&m_settled, &QTimer::timeout, this, &Findings::look);
    connect(&m_session.document, &Document::sceneChanged, this, [this] {
        m_known = false;
        if (m_running) m_running->request_stop(); // it is of a scene that is gone
        m_settled.start();                        // not at every step of a drag
    });
    m_settled.start();
}

Findings::~Findings() {
    if (m_running) m_running->request_stop();
}

void Findings::look() {
    if (m_running) m_running->request_stop();
    m_running = std::make_shared<std::stop_source>();
    onWorker([self = QPointer(this), stop = m_running, scene = m_session.scene()] {
        auto report = guarded([&] { return checks::choreography(*scene, stop->get_token()); });
        if (!report) return;
        onInterface([self, stop, scene, report = std::move(*report)] {
            if (!self || stop->stop_requested()) return;
            self->m_report = report;
            self->m_known = scene == self->m_session.scene();
            Q_EMIT self->changed();
        });
    });
}

const checks::Finding* Findings::goToNext() {
    if (m_report.findings.empty()) return nullptr;
    const auto& rate = m_session.scene()->output.rate;
    const checks::Finding* next = &m_report.findings.front();
    for (const checks::Finding& finding : m_report.findings)
        if (frameAt(finding.at, rate) > m_session.playhead.frame()) {
            next = &finding;
            break;
        }
    m_session.playhead.setFrame(frameAt(next->at, rate));
    if (next->layer != 0) m_session.selection.select({next->layer});
    return next;
}

// ---- the list

FindingsSheet::FindingsSheet(Session& session, Findings& findings, QWidget* parent)
    : QFrame(parent, Qt::Popup), m_session(session), m_findings(findings) {
    setObjectName(QStringLiteral("findings"));
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(14, 12, 14, 12);
    layout->setSpacing(8);
    auto* rows = new QWidget;
    m_rows = new QVBoxLayout(rows);
    m_rows->setContentsMargins(0, 0, 0, 0);
    m_rows->setSpacing(10);
    layout->addWidget(rows);
    connect(&m_findings, &Findings::changed, this, [this] {
        if (isVisible()) fill();
    });
}

void FindingsSheet::fill() {
    while (QLayoutItem* item = m_rows->takeAt(0)) {
        if (item->widget()) item->widget()->deleteLater();
        delete item;
    }
    const auto& report = m_findings.report();
    const auto& out = m_session.scene()->output;
    const auto text = [&](const QString& words, const char* name = nullptr) {
        auto* label = new QLabel(words);
        label->setWordWrap(true);
        label->setMinimumWidth(430);
        if (name) label->setObjectName(QString::fromLatin1(name));
        m_rows->addWidget(label);
    };
    if (report.findings.empty())
        text(tr("Nothing stands in the way of this move: at most %1 m/s, %2 m/s², %3 °/s.")
                 .arg(figure(report.speed, 2), figure(report.acceleration, 2), figure(report.turning, 1)));
    constexpr std::size_t most = 8;
    for (std::size_t i = 0; i < std::min(most, report.findings.size()); ++i) {
        const checks::Finding finding = report.findings[i];
        auto* row = new QWidget;
        auto* column = new QVBoxLayout(row);
        column->setContentsMargins(0, 0, 0, 0);
        column->setSpacing(4);
        auto* sentence = new QLabel(
            QStringLiteral("▲  %1  %2")
                .arg(QString::fromStdString(scene::timecode(frameAt(finding.at, out.rate), out.rate)),
                     QString::fromStdString(finding.sentence)));
        sentence->setWordWrap(true);
        sentence->setMinimumWidth(430);
        column->addWidget(sentence);
        auto* buttons = new QHBoxLayout;
        buttons->setSpacing(6);
        buttons->setContentsMargins(20, 0, 0, 0);
        auto* go = new QPushButton(tr("Go there"));
        go->setObjectName(QStringLiteral("goThere"));
        connect(go, &QPushButton::clicked, this, [this, finding] {
            m_session.playhead.setFrame(frameAt(finding.at, m_session.scene()->output.rate));
            if (finding.layer != 0) m_session.selection.select({finding.layer});
        });
        buttons->addWidget(go);
        for (const checks::Fix& fix : finding.fixes) {
            auto* mend = new QPushButton(QString::fromStdString(fix.name));
            mend->setObjectName(QStringLiteral("fix"));
            connect(mend, &QPushButton::clicked, this, [this, fix] { m_session.document.apply(fix.edit); });
            buttons->addWidget(mend);
        }
        buttons->addStretch();
        column->addLayout(buttons);
        m_rows->addWidget(row);
    }
    if (report.findings.size() > most) text(tr("and %1 more.").arg(report.findings.size() - most), "dim");
    adjustSize();
}

void FindingsSheet::openAt(const QPoint& global) {
    fill();
    show();
    adjustSize();
    const QRect window = parentWidget()->window()->geometry();
    move(std::clamp(global.x(), window.left() + 8, std::max(window.left() + 8, window.right() - width() - 8)),
         std::clamp(global.y() - height() - 6, window.top() + 8,
                    std::max(window.top() + 8, window.bottom() - height() - 8)));
}

}
