#include "desk/panel.h"

#include <QHBoxLayout>
#include <QLabel>

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
    m_note = new QLabel(note);
    m_note->setObjectName(QStringLiteral("headNote"));
    m_head->addWidget(m_title);
    m_head->addSpacing(6);
    m_head->addWidget(m_note);
    m_head->addStretch();
    layout->addWidget(head);
    layout->addWidget(content, 1);
}

void Panel::setTitle(const QString& title) {
    m_title->setText(title);
}
void Panel::setNote(const QString& note) {
    m_note->setText(note);
}
void Panel::addControl(QWidget* control) {
    m_head->addWidget(control);
}

}
