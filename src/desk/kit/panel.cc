#include "desk/kit/panel.h"

#include "desk/kit/elided_label.h"

#include <QHBoxLayout>
#include <QLabel>
#include <QMenu>
#include <QToolButton>

namespace stage::desk {

Panel::Panel(const QString& title, const QString& note, QWidget* content, QWidget* parent) : QWidget(parent) {
    setObjectName(QStringLiteral("panel"));
    setAttribute(Qt::WA_StyledBackground);
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(0);
    auto* head = new QWidget;
    head->setObjectName(QStringLiteral("panelHead"));
    head->setAttribute(Qt::WA_StyledBackground);
    head->setFixedHeight(28);
    m_head = new QHBoxLayout(head);
    m_head->setContentsMargins(12, 0, 6, 0);
    m_head->setSpacing(6);
    m_title = new QLabel(title);
    m_title->setObjectName(QStringLiteral("headTitle"));
    m_note = new ElidedLabel(note);
    m_note->setObjectName(QStringLiteral("headNote"));
    m_note->setMinimumWidth(0);
    m_note->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Preferred);
    m_head->addWidget(m_title);
    m_head->addSpacing(6);
    m_head->addWidget(m_note, 1);
    layout->addWidget(head);
    layout->addWidget(content, 1);
}

void Panel::setTitle(const QString& title) {
    m_title->setText(title);
    if (m_menu) m_menu->setText(title + QStringLiteral("  ▾"));
}
void Panel::setTitleMenu(QMenu* menu) {
    menu->setParent(this, menu->windowFlags());
    m_menu = new QToolButton;
    m_menu->setObjectName(QStringLiteral("headMenu"));
    m_menu->setPopupMode(QToolButton::InstantPopup);
    m_menu->setMenu(menu);
    m_menu->setText(m_title->text() + QStringLiteral("  ▾"));
    m_menu->setToolTip(tr("Another view in this pane"));
    m_menu->setFocusPolicy(Qt::TabFocus);
    m_head->insertWidget(0, m_menu);
    m_title->hide();
}
void Panel::setNote(const QString& note) {
    m_note->setText(note);
}
void Panel::addControl(QWidget* control) {
    m_head->addWidget(control);
}

}
