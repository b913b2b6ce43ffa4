#include "desk/kit/question.h"

#include <QInputDialog>
#include <QKeyEvent>
#include <QMessageBox>
#include <QPushButton>
#include <QTimer>

namespace stage::desk {
namespace {

/// Swallows keys for a moment, and those that were pressed in it but come later as the machine is busy: what
/// waits is handled before a timer is.
class Hesitation : public QObject {
public:
    explicit Hesitation(QObject* parent) : QObject(parent) {
        QTimer::singleShot(700, this, [this] { QTimer::singleShot(0, this, [this] { m_over = true; }); });
    }

protected:
    bool eventFilter(QObject*, QEvent* event) override {
        const bool key = event->type() == QEvent::KeyPress || event->type() == QEvent::KeyRelease ||
                         event->type() == QEvent::ShortcutOverride || event->type() == QEvent::Shortcut;
        return key && !m_over;
    }

private:
    bool m_over = false;
};

/// As wide as its title wants, beside the buttons of the window.
bool accepted(QInputDialog& dialog, const QString& title, const QString& label) {
    dialog.setWindowTitle(title);
    dialog.setLabelText(label);
    dialog.setMinimumWidth(std::max(320, dialog.fontMetrics().horizontalAdvance(title) + 160));
    return dialog.exec() == QDialog::Accepted;
}

}

int ask(QWidget* parent, const QString& title, const QString& text, const QStringList& answers) {
    QMessageBox box(QMessageBox::NoIcon, title, text, QMessageBox::NoButton, parent);
    box.setObjectName(QStringLiteral("question"));
    auto* hesitation = new Hesitation(&box);
    QList<QPushButton*> buttons;
    for (qsizetype i = 0; i < answers.size(); ++i) {
        // Roles keep the order in which they are given.
        auto* button = box.addButton(answers[i], i + 1 == answers.size() ? QMessageBox::RejectRole
                                                                         : QMessageBox::AcceptRole);
        button->installEventFilter(hesitation);
        buttons << button;
    }
    box.setEscapeButton(buttons.last());
    box.installEventFilter(hesitation);
    box.setDefaultButton(buttons.first());
    box.exec();
    for (qsizetype i = 0; i < buttons.size(); ++i)
        if (box.clickedButton() == buttons[i]) return static_cast<int>(i);
    return static_cast<int>(answers.size()) - 1;
}

std::optional<QString> askForText(QWidget* parent, const QString& title, const QString& label,
                                  const QString& text) {
    QInputDialog dialog(parent);
    dialog.setTextValue(text);
    if (!accepted(dialog, title, label)) return std::nullopt;
    return dialog.textValue().trimmed();
}

std::optional<int> askForNumber(QWidget* parent, const QString& title, const QString& label, int value,
                                WholeNumbers allowed) {
    QInputDialog dialog(parent);
    dialog.setInputMode(QInputDialog::IntInput);
    dialog.setIntRange(allowed.least, allowed.most);
    dialog.setIntStep(allowed.step);
    dialog.setIntValue(value);
    if (!accepted(dialog, title, label)) return std::nullopt;
    return dialog.intValue();
}

}
