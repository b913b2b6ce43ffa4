#include "desk/look/focus_keeper.h"

#include <QAbstractItemView>
#include <QAbstractSpinBox>
#include <QApplication>
#include <QComboBox>
#include <QKeyEvent>
#include <QLineEdit>
#include <QPlainTextEdit>
#include <QTextEdit>
#include <QTimer>

namespace stage::desk {
namespace {

/// A line for figures, in which nothing has been typed since it got the focus.
QLineEdit* restingFigure(QObject* widget) {
    auto* line = qobject_cast<QLineEdit*>(widget);
    return line && line->property("figures").toBool() && !line->isModified() ? line : nullptr;
}

/// What a view shows for a moment to have something written into it.
bool editsInPlace(const QWidget* field) {
    for (const QWidget* each = field->parentWidget(); each; each = each->parentWidget())
        if (qobject_cast<const QAbstractItemView*>(each)) return true;
    return false;
}

}

FocusKeeper::FocusKeeper(QWidget* window, std::vector<QWidget*> views)
    : QObject(window), m_window(window), m_views(std::move(views)) {
    qApp->installEventFilter(this);
    connect(qApp, &QApplication::focusChanged, this, &FocusKeeper::focusChanged);
}

QWidget* FocusKeeper::view() const {
    if (m_last && m_last->isVisibleTo(m_window)) return m_last;
    for (QWidget* each : m_views)
        if (each->isVisibleTo(m_window)) return each;
    return m_window;
}

void FocusKeeper::giveBack() {
    if (QWidget* to = view()) to->setFocus(Qt::OtherFocusReason);
}

void FocusKeeper::focusChanged(QWidget* old, QWidget* now) {
    for (QWidget* each : m_views)
        if (now && (now == each || (each->isAncestorOf(now) && !qobject_cast<QLineEdit*>(now))))
            m_last = each;
    if (!old || old->window() != m_window) return;
    // Hidden just now: wherever the focus went by itself, nobody sent it there.
    QTimer::singleShot(0, this, [this, before = QPointer(old), after = QPointer(now)] {
        const bool gone = !before || !before->isVisible();
        QWidget* focus = QApplication::focusWidget();
        if (gone && m_window->isActiveWindow() && focus == after && (!focus || focus->window() == m_window) &&
            std::none_of(m_views.begin(), m_views.end(), [&](QWidget* each) { return each == focus; }))
            giveBack();
    });
}

bool FocusKeeper::eventFilter(QObject* watched, QEvent* event) {
    if (event->type() != QEvent::ShortcutOverride && event->type() != QEvent::KeyPress) return false;
    auto* widget = qobject_cast<QWidget*>(watched);
    if (!widget || !widget->hasFocus() || widget->window() != m_window) return false;
    auto* key = static_cast<QKeyEvent*>(event);
    if (event->type() == QEvent::ShortcutOverride) {
        const QString text = key->text();
        const bool letter =
            text.size() == 1 && text[0].isLetter() && !widget->property("letters").toString().contains(text);
        const bool way = key->key() == Qt::Key_Home || key->key() == Qt::Key_End ||
                         key->key() == Qt::Key_Delete || key->key() == Qt::Key_Space;
        // The field has nothing to undo: what was entered before is an edit of the scene.
        const bool undo = key->matches(QKeySequence::Undo) || key->matches(QKeySequence::Redo);
        if ((letter || way || undo) && restingFigure(widget)) {
            event->ignore(); // not for the field
            return true;
        }
        return false;
    }
    const bool enter = key->key() == Qt::Key_Return || key->key() == Qt::Key_Enter;
    if (!enter && key->key() != Qt::Key_Escape) return false;
    const bool field = qobject_cast<QLineEdit*>(widget) || qobject_cast<QAbstractSpinBox*>(widget) ||
                       (qobject_cast<QComboBox*>(widget) && key->key() == Qt::Key_Escape);
    if (!field || editsInPlace(widget)) return false;
    // Once the field has read it; one that is wrong keeps the focus.
    QTimer::singleShot(0, this, [this, field = QPointer(widget), enter] {
        if (!field || !field->hasFocus() || (enter && field->property("wrong").toBool())) return;
        giveBack();
    });
    return false;
}

}
