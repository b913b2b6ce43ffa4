#include "desk/kit/commands.h"
#include "desk/kit/settings.h"

#include "desk/look/theme.h"

#include <QAction>
#include <QDialog>
#include <QDialogButtonBox>
#include <QEvent>
#include <QHeaderView>
#include <QKeyEvent>
#include <QKeySequenceEdit>
#include <QLabel>
#include <QLineEdit>
#include <QListWidget>
#include <QMenu>
#include <QPushButton>
#include <QTableWidget>
#include <QVBoxLayout>
#include <algorithm>

namespace stage::desk {
namespace {

QString plain(QString text) {
    text.remove(QLatin1Char('&'));
    if (text.endsWith(QChar(0x2026))) text.chop(1);
    return text;
}

/// Sends the arrow keys of a line on to a list.
class ArrowsTo : public QObject {
public:
    ArrowsTo(QListWidget* list, QObject* parent) : QObject(parent), m_list(list) {}
    bool eventFilter(QObject*, QEvent* event) override {
        if (event->type() != QEvent::KeyPress) return false;
        const int key = static_cast<QKeyEvent*>(event)->key();
        if (key != Qt::Key_Up && key != Qt::Key_Down) return false;
        const int row = m_list->currentRow() + (key == Qt::Key_Down ? 1 : -1);
        m_list->setCurrentRow(std::clamp(row, 0, m_list->count() - 1));
        return true;
    }

private:
    QListWidget* m_list;
};

}

int rank(const QString& text, const QString& search) {
    int total = 0;
    for (const QString& word : search.split(QLatin1Char(' '), Qt::SkipEmptyParts)) {
        const qsizetype at = text.indexOf(word, 0, Qt::CaseInsensitive);
        if (at < 0) return -1;
        const bool begins = at == 0 || !text[at - 1].isLetterOrNumber();
        total += static_cast<int>(at) + (begins ? 0 : 100);
    }
    return total;
}

Commands::Commands(QWidget* window) : QObject(window), m_window(window) {}

QAction* Commands::add(QMenu* menu, const char* name, const QString& text, const QKeySequence& keys,
                       const QString& tip, std::function<void()> run) {
    QAction* action = menu->addAction(text, m_window, std::move(run));
    action->setObjectName(QString::fromLatin1(name));
    action->setProperty("preset", keys);
    action->setProperty("tip", tip);
    // Keys without a modifier belong to the views; a line being typed into keeps them for itself.
    action->setShortcut(
        settings()
            .value(QStringLiteral("shortcuts/") + action->objectName(), QVariant::fromValue(keys))
            .value<QKeySequence>());
    menu->setToolTipsVisible(true);
    m_all.push_back(action);
    tell(action);
    return action;
}

void Commands::tell(QAction* action) const {
    const QString tip = action->property("tip").toString();
    if (!tip.isEmpty()) action->setToolTip(tip);
}

QAction* Commands::find(const QString& name) const {
    for (QAction* action : m_all)
        if (action->objectName() == name) return action;
    return nullptr;
}

QString Commands::path(const QAction* action) const {
    QStringList parts{plain(action->text())};
    for (QObject* each : action->associatedObjects())
        if (auto* menu = qobject_cast<QMenu*>(each))
            for (; menu && !menu->title().isEmpty(); menu = qobject_cast<QMenu*>(menu->parentWidget()))
                parts.prepend(plain(menu->title()));
    return parts.join(QStringLiteral(" › "));
}

QKeySequence Commands::preset(const QAction* action) const {
    return action->property("preset").value<QKeySequence>();
}

QAction* Commands::holder(const QKeySequence& keys, const QAction* besides) const {
    if (keys.isEmpty()) return nullptr;
    for (QAction* action : m_all)
        if (action != besides && action->shortcut() == keys) return action;
    return nullptr;
}

void Commands::setKeys(QAction* action, const QKeySequence& keys) {
    action->setShortcut(keys);
    QSettings kept = settings();
    const QString key = QStringLiteral("shortcuts/") + action->objectName();
    if (keys == preset(action))
        kept.remove(key);
    else
        kept.setValue(key, QVariant::fromValue(keys));
}

void Commands::ask() {
    QDialog dialog(m_window);
    dialog.setObjectName(QStringLiteral("findCommand"));
    dialog.setWindowTitle(tr("Find a command"));
    dialog.resize(520, 380);
    auto* layout = new QVBoxLayout(&dialog);
    layout->setContentsMargins(14, 14, 14, 14);
    auto* line = new QLineEdit;
    line->setPlaceholderText(tr("A part of its name"));
    line->setAccessibleName(tr("Find a command"));
    auto* list = new QListWidget;
    layout->addWidget(line);
    layout->addWidget(list, 1);
    const auto fill = [&] {
        list->clear();
        std::vector<std::pair<int, QAction*>> found;
        for (QAction* action : m_all) {
            if (!action->isEnabled()) continue;
            const QString name = plain(action->text());
            int at = rank(name, line->text());
            if (at < 0) {
                at = rank(path(action) + QLatin1Char(' ') + action->property("tip").toString(), line->text());
                if (at >= 0) at += 10'000; // found by where it stands or by what it does
            }
            if (at >= 0) found.emplace_back(at, action);
        }
        std::stable_sort(found.begin(), found.end(),
                         [](const auto& a, const auto& b) { return a.first < b.first; });
        for (const auto& [at, action] : found) {
            const QString keys = action->shortcut().toString(QKeySequence::NativeText);
            auto* item = new QListWidgetItem(path(action) +
                                             (keys.isEmpty() ? QString() : QStringLiteral("    ") + keys));
            item->setData(Qt::UserRole, QVariant::fromValue<QObject*>(action));
            item->setToolTip(action->property("tip").toString());
            list->addItem(item);
        }
        if (found.empty()) {
            auto* none = new QListWidgetItem(tr("No command has this in its name or in what it does."));
            none->setFlags(Qt::NoItemFlags);
            list->addItem(none);
        }
        list->setCurrentRow(0);
    };
    line->installEventFilter(new ArrowsTo(list, &dialog));
    connect(line, &QLineEdit::textChanged, &dialog, fill);
    connect(line, &QLineEdit::returnPressed, &dialog, &QDialog::accept);
    connect(list, &QListWidget::itemActivated, &dialog, &QDialog::accept);
    fill();
    if (dialog.exec() != QDialog::Accepted || !list->currentItem()) return;
    if (auto* action = qobject_cast<QAction*>(list->currentItem()->data(Qt::UserRole).value<QObject*>()))
        action->trigger();
}

void Commands::editShortcuts() {
    QDialog dialog(m_window);
    dialog.setObjectName(QStringLiteral("shortcuts"));
    dialog.setWindowTitle(tr("Shortcuts"));
    dialog.resize(620, 520);
    auto* layout = new QVBoxLayout(&dialog);
    layout->setContentsMargins(14, 14, 14, 14);
    auto* search = new QLineEdit;
    search->setPlaceholderText(tr("Search"));
    layout->addWidget(search);
    auto* table = new QTableWidget(static_cast<int>(m_all.size()), 2);
    table->setHorizontalHeaderLabels({tr("Command"), tr("Keys")});
    table->horizontalHeader()->setSectionResizeMode(0, QHeaderView::Stretch);
    table->horizontalHeader()->resizeSection(1, 170);
    table->verticalHeader()->hide();
    table->setSelectionBehavior(QAbstractItemView::SelectRows);
    table->setEditTriggers(QAbstractItemView::NoEditTriggers);
    layout->addWidget(table, 1);
    auto* complaint = new QLabel;
    complaint->setObjectName(QStringLiteral("warning"));
    complaint->setWordWrap(true);
    layout->addWidget(complaint);
    std::vector<QKeySequenceEdit*> edits;
    for (int row = 0; row < table->rowCount(); ++row) {
        QAction* action = m_all[static_cast<std::size_t>(row)];
        auto* name = new QTableWidgetItem(path(action));
        name->setToolTip(action->property("tip").toString());
        table->setItem(row, 0, name);
        auto* keys = new QKeySequenceEdit(action->shortcut());
        keys->setAccessibleName(path(action));
        table->setCellWidget(row, 1, keys);
        edits.push_back(keys);
        connect(keys, &QKeySequenceEdit::editingFinished, &dialog, [=, this] {
            const QKeySequence wanted = keys->keySequence();
            if (wanted == action->shortcut()) return;
            if (QAction* other = holder(wanted, action)) {
                complaint->setText(tr("%1 is taken by “%2”; take it away there first.")
                                       .arg(wanted.toString(QKeySequence::NativeText), path(other)));
                keys->setKeySequence(action->shortcut());
                return;
            }
            complaint->clear();
            setKeys(action, wanted);
        });
    }
    connect(search, &QLineEdit::textChanged, &dialog, [=, this](const QString& text) {
        for (int row = 0; row < table->rowCount(); ++row)
            table->setRowHidden(row, rank(path(m_all[static_cast<std::size_t>(row)]), text) < 0);
    });
    auto* buttons = new QDialogButtonBox(QDialogButtonBox::Close);
    auto* all = buttons->addButton(tr("All as they were"), QDialogButtonBox::ResetRole);
    connect(all, &QPushButton::clicked, &dialog, [&] {
        for (std::size_t i = 0; i < m_all.size(); ++i) {
            setKeys(m_all[i], preset(m_all[i]));
            edits[i]->setKeySequence(m_all[i]->shortcut());
        }
    });
    connect(buttons, &QDialogButtonBox::rejected, &dialog, &QDialog::reject);
    layout->addWidget(buttons);
    dialog.exec();
}

}
