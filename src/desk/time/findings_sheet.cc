#include "desk/time/findings_sheet.h"

#include "desk/kit/number_field.h"
#include "scene/quantity.h"

#include <QEvent>
#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>
#include <QTimer>
#include <QVBoxLayout>

namespace stage::desk {

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
        if (!isVisible()) return;
        fill();
        QTimer::singleShot(0, this, &FindingsSheet::place); // when what was there is gone
    });
}

void FindingsSheet::fill() {
    m_edits.clear();
    while (QLayoutItem* item = m_rows->takeAt(0)) {
        if (item->widget()) item->widget()->deleteLater();
        delete item;
    }
    const auto& report = m_findings.report();
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
    for (std::size_t i = 0; i < std::min(most, report.findings.size()); ++i)
        addFinding(report.findings[i]);
    if (report.findings.size() > most) text(tr("and %1 more.").arg(report.findings.size() - most), "dim");
}

void FindingsSheet::addFinding(const checks::Finding& finding) {
    const auto& out = m_session.scene()->output;
    auto* row = new QWidget;
    auto* column = new QVBoxLayout(row);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(4);
    auto* sentence =
        new QLabel(QStringLiteral("▲  %1  %2")
                       .arg(QString::fromStdString(scene::timecode(frameAt(finding.at, out.rate), out.rate)),
                            QString::fromStdString(finding.sentence)));
    sentence->setWordWrap(true);
    sentence->setMinimumWidth(430);
    column->addWidget(sentence);
    auto* buttons = new QHBoxLayout;
    buttons->setSpacing(6);
    buttons->setContentsMargins(20, 0, 0, 0);
    column->addLayout(buttons);
    auto* go = new QPushButton(tr("Go there"));
    go->setObjectName(QStringLiteral("goThere"));
    connect(go, &QPushButton::clicked, this, [this, finding] {
        m_session.playhead.setFrame(frameAt(finding.at, m_session.scene()->output.rate));
        if (finding.layer != 0) m_session.selection.select({finding.layer});
    });
    buttons->addWidget(go);
    // Few stand beside each other; of more, each says how much it changes in a line of its own.
    constexpr std::size_t mostBeside = 2;
    const bool below = finding.fixes.size() > mostBeside;
    for (const checks::Fix& fix : finding.fixes) {
        auto* mend = new QPushButton(QString::fromStdString(fix.name));
        mend->setObjectName(QStringLiteral("fix"));
        m_edits.insert(mend, fix.edit);
        mend->installEventFilter(this);
        connect(mend, &QPushButton::clicked, this, [this, fix] {
            dropTried();
            m_session.document.apply(fix.edit);
        });
        if (!below) {
            buttons->addWidget(mend);
            continue;
        }
        auto* line = new QHBoxLayout;
        line->setContentsMargins(20, 0, 0, 0);
        line->addWidget(mend);
        line->addStretch();
        column->addLayout(line);
    }
    buttons->addStretch();
    m_rows->addWidget(row);
}

bool FindingsSheet::eventFilter(QObject* watched, QEvent* event) {
    const auto edit = m_edits.constFind(watched);
    if (edit != m_edits.constEnd() && (event->type() == QEvent::Enter || event->type() == QEvent::FocusIn))
        tryOut(*edit);
    else if (event->type() == QEvent::Leave || event->type() == QEvent::FocusOut)
        dropTried();
    return QFrame::eventFilter(watched, event);
}

void FindingsSheet::hideEvent(QHideEvent* event) {
    dropTried();
    QFrame::hideEvent(event);
}

void FindingsSheet::tryOut(const scene::Json& edit) {
    if (m_session.document.previewing() && !m_tries) return; // something else is being dragged
    m_tries = true;
    m_findings.holdStill(true);
    m_session.document.tryOut(edit);
}

void FindingsSheet::dropTried() {
    if (!m_tries) return;
    m_tries = false;
    m_session.document.dropPreview();
    m_findings.holdStill(false);
}

void FindingsSheet::openAt(const QPoint& global) {
    m_corner = global;
    fill();
    show();
    place();
}

/// As large as what it says, its lower left corner where it was opened, within the window.
void FindingsSheet::place() {
    layout()->activate();
    adjustSize();
    const QRect window = parentWidget()->window()->geometry();
    move(std::clamp(m_corner.x(), window.left() + 8,
                    std::max(window.left() + 8, window.right() - width() - 8)),
         std::clamp(m_corner.y() - height() - 6, window.top() + 8,
                    std::max(window.top() + 8, window.bottom() - height() - 8)));
}

}
