// A titled part of the desk, with room for controls at the right of its head.
#pragma once

#include <QWidget>

class QHBoxLayout;
class QLabel;
class QMenu;
class QToolButton;

namespace stage::desk {

class Panel : public QWidget {
    Q_OBJECT
public:
    Panel(const QString& title, const QString& note, QWidget* content, QWidget* parent = nullptr);
    void setTitle(const QString& title);
    void setNote(const QString& note);
    void addControl(QWidget* control);
    /// The title opens a menu; takes ownership of it.
    void setTitleMenu(QMenu* menu);

private:
    QLabel *m_title, *m_note;
    QToolButton* m_menu = nullptr;
    QHBoxLayout* m_head;
};

}
