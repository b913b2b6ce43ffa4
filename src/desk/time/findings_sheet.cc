#include "desk/time/findings_sheet.h"

#include "desk/kit/number_field.h"
#include "scene/quantity.h"

#include <QEvent>
#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QScrollArea>
#include <QScrollBar>
#include <QTimer>
#include <QVBoxLayout>

namespace stage::desk {
namespace {

constexpr int rowWidth = 540;   ///< px
constexpr int indentation = 20; ///< of what belongs to a sentence

/// As high as its words are over a width.
QLabel* words(const QString& text, int width, QWidget* parent) {
    auto* label = new QLabel(text, parent);
    label->setTextFormat(Qt::PlainText);
    label->setWordWrap(true);
    label->ensurePolished();
    label->setFixedSize(width, label->heightForWidth(width));
    return label;
}

/// A button that is at most so wide; where its words do not fit, they are in its tooltip.
QPushButton* narrow(const QString& text, int width, QWidget* parent) {
    auto* button = new QPushButton(parent);
    button->ensurePolished();
    constexpr int around = 26;
    const QString shown = button->fontMetrics().elidedText(text, Qt::ElideRight, width - around);
    button->setText(shown);
    button->setAccessibleName(text);
    if (shown != text) button->setToolTip(text);
    return button;
}

/// An edit that sets a finding aside, with all that it tells of, or tells it again.
scene::Json aside(const checks::Finding& finding, bool on, const QString& reason = {}) {
    scene::Json edit = {{"edit", "set-aside"}, {"kind", checks::nameOf(finding.kind)}};
    std::set<std::int64_t> layers;
    checks::forEachSingle({finding}, [&](const checks::Finding& each) {
        if (each.layer != 0) layers.insert(each.layer);
    });
    if (!layers.empty()) edit["layers"] = layers;
    if (on && !reason.isEmpty()) edit["reason"] = reason.toStdString();
    if (!on) edit["aside"] = false;
    return edit;
}

}

FindingsSheet::FindingsSheet(Session& session, Findings& findings, QWidget* parent)
    : QFrame(parent, Qt::Popup), m_session(session), m_findings(findings), m_area(new QScrollArea) {
    setObjectName(QStringLiteral("findings"));
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(14, 12, 6, 12);
    auto* rows = new QWidget;
    rows->setFixedWidth(rowWidth);
    m_rows = new QVBoxLayout(rows);
    m_rows->setContentsMargins(0, 0, 0, 0);
    m_rows->setSpacing(10);
    m_area->setFrameShape(QFrame::NoFrame);
    m_area->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    m_area->setWidget(rows);
    m_area->viewport()->setAutoFillBackground(false);
    rows->setAutoFillBackground(false);
    layout->addWidget(m_area);
    connect(&m_findings, &Findings::changed, this, &FindingsSheet::refill);
}

void FindingsSheet::refill() {
    if (!isVisible() || m_asks) return;
    fill();
    QTimer::singleShot(0, this, &FindingsSheet::place); // when what was there is gone
}

void FindingsSheet::fill() {
    m_edits.clear();
    m_asks = false;
    while (QLayoutItem* item = m_rows->takeAt(0)) {
        if (item->widget()) {
            item->widget()->hide();
            item->widget()->deleteLater();
        }
        delete item;
    }
    const auto& report = m_findings.report();
    if (report.findings.empty()) {
        m_rows->addWidget(words(
            tr("Nothing stands in the way of this move: at most %1 m/s, %2 m/s², %3 °/s.")
                .arg(figure(report.speed, 2), figure(report.acceleration, 2), figure(report.turning, 1)),
            rowWidth, m_area->widget()));
    }
    for (const checks::Finding& finding : report.findings)
        addFinding(finding, 0);
    addSetAside();
}

QPushButton* FindingsSheet::opener(const QString& text, const std::string& what) {
    const bool open = m_opened.contains(what);
    auto* button = new QPushButton((open ? QStringLiteral("▾ ") : QStringLiteral("▸ ")) + text);
    button->setObjectName(QStringLiteral("opener"));
    connect(button, &QPushButton::clicked, this, [this, what, open] {
        if (open)
            m_opened.erase(what);
        else
            m_opened.insert(what);
        refill();
    });
    return button;
}

void FindingsSheet::addFinding(const checks::Finding& finding, int indent) {
    const auto& out = m_session.scene()->output;
    auto* row = new QWidget;
    auto* column = new QVBoxLayout(row);
    column->setContentsMargins(indentation * indent, 0, 0, 0);
    column->setSpacing(4);
    QLabel* sentence =
        words(QStringLiteral("▲  %1  %2")
                  .arg(QString::fromStdString(scene::timecode(frameAt(finding.at, out.rate), out.rate)),
                       QString::fromStdString(finding.sentence)),
              rowWidth - indentation * indent, m_area->widget());
    column->addWidget(sentence);
    auto* buttons = new QHBoxLayout;
    buttons->setSpacing(6);
    buttons->setContentsMargins(indentation, 0, 0, 0);
    column->addLayout(buttons);
    auto* go = new QPushButton(tr("Go there"));
    go->setObjectName(QStringLiteral("goThere"));
    connect(go, &QPushButton::clicked, this, [this, finding] {
        m_session.playhead.setFrame(frameAt(finding.at, m_session.scene()->output.rate));
        std::vector<std::int64_t> layers;
        checks::forEachSingle({finding}, [&](const checks::Finding& each) {
            if (each.layer != 0) layers.push_back(each.layer);
        });
        if (!layers.empty()) m_session.selection.select(layers);
    });
    buttons->addWidget(go);
    const std::string group(checks::nameOf(finding.kind));
    if (!finding.members.empty())
        buttons->addWidget(
            opener(tr("Each of %n", nullptr, static_cast<int>(finding.members.size())), group));
    addFixes(finding, buttons, column);
    auto* leave = new QPushButton(tr("Set aside"));
    leave->setObjectName(QStringLiteral("setAside"));
    leave->setToolTip(tr("Known, and meant to stay: it is told no more"));
    connect(leave, &QPushButton::clicked, this,
            [this, finding, buttons, leave] { askReason(finding, buttons, leave); });
    buttons->addWidget(leave);
    buttons->addStretch();
    m_rows->addWidget(row);
    if (m_opened.contains(group))
        for (const checks::Finding& member : finding.members)
            addFinding(member, indent + 1);
}

void FindingsSheet::addFixes(const checks::Finding& finding, QHBoxLayout* beside, QVBoxLayout* column) {
    // One stands beside the others; of more, each says how much it changes in a line of its own.
    const bool below = finding.fixes.size() > 1;
    for (const checks::Fix& fix : finding.fixes) {
        QPushButton* mend = narrow(QString::fromStdString(fix.name),
                                   below ? rowWidth - 3 * indentation : rowWidth / 2, m_area->widget());
        mend->setObjectName(QStringLiteral("fix"));
        m_edits.insert(mend, fix.edit);
        mend->installEventFilter(this);
        connect(mend, &QPushButton::clicked, this, [this, fix] {
            dropTried();
            m_session.document.apply(fix.edit);
        });
        if (!below) {
            beside->addWidget(mend);
            continue;
        }
        auto* line = new QHBoxLayout;
        line->setContentsMargins(indentation, 0, 0, 0);
        line->addWidget(mend);
        line->addStretch();
        column->addLayout(line);
    }
}

void FindingsSheet::askReason(const checks::Finding& finding, QHBoxLayout* in, QPushButton* button) {
    m_asks = true;
    button->hide();
    auto* reason = new QLineEdit;
    reason->setObjectName(QStringLiteral("reason"));
    reason->setPlaceholderText(tr("Why it may stay, then Enter"));
    reason->setMaxLength(200);
    in->insertWidget(in->count() - 1, reason, 1);
    connect(reason, &QLineEdit::returnPressed, this, [this, finding, reason] {
        m_asks = false;
        m_session.document.apply(aside(finding, true, reason->text()));
    });
    reason->show(); // before it can have the keys
    reason->setFocus();
}

void FindingsSheet::addSetAside() {
    const auto& all = m_findings.report().setAside;
    if (all.empty()) return;
    const std::string what = "set aside";
    auto* row = new QHBoxLayout;
    auto* holder = new QWidget;
    holder->setLayout(row);
    row->setContentsMargins(0, 0, 0, 0);
    row->addWidget(opener(tr("%n set aside", nullptr, static_cast<int>(all.size())), what));
    row->addStretch();
    m_rows->addWidget(holder);
    if (!m_opened.contains(what)) return;
    for (const checks::Finding& finding : all) {
        auto* line = new QWidget;
        auto* across = new QHBoxLayout(line);
        across->setContentsMargins(indentation, 0, 0, 0);
        const QString reason = QString::fromStdString(finding.reason);
        QLabel* label =
            words(QString::fromStdString(finding.sentence) +
                      (reason.isEmpty() ? QString() : QStringLiteral("\n") + tr("Set aside: %1").arg(reason)),
                  rowWidth - indentation - 110, m_area->widget());
        label->setObjectName(QStringLiteral("dim"));
        across->addWidget(label, 1);
        auto* again = new QPushButton(tr("Tell again"));
        again->setObjectName(QStringLiteral("tellAgain"));
        connect(again, &QPushButton::clicked, this,
                [this, finding] { m_session.document.apply(aside(finding, false)); });
        across->addWidget(again, 0, Qt::AlignTop);
        m_rows->addWidget(line);
    }
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
    m_asks = false;
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
    m_area->verticalScrollBar()->setValue(0);
}

/// As large as what it says, its lower left corner where it was opened, within the window; what does not fit
/// is scrolled.
void FindingsSheet::place() {
    const QRect window = parentWidget()->window()->geometry();
    QWidget* rows = m_area->widget();
    rows->layout()->invalidate();
    rows->layout()->activate();
    const int tall = rows->layout()->sizeHint().height();
    rows->resize(rowWidth, tall);
    const QMargins around = layout()->contentsMargins();
    const int most = std::max(120, std::min(m_corner.y(), window.bottom()) - window.top() - 24);
    const int high = std::min(tall, most - around.top() - around.bottom());
    m_area->setFixedSize(rowWidth + m_area->verticalScrollBar()->sizeHint().width() + 2, high);
    layout()->activate();
    adjustSize();
    move(std::clamp(m_corner.x(), window.left() + 8,
                    std::max(window.left() + 8, window.right() - width() - 8)),
         std::clamp(m_corner.y() - height() - 6, window.top() + 8,
                    std::max(window.top() + 8, window.bottom() - height() - 8)));
}

}
