#include "desk/camera/off_move_banner.h"

#include "scene/quantity.h"

#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>

namespace stage::desk {

OffMoveBanner::OffMoveBanner(Session& session, QWidget* view)
    : QWidget(view), m_session(session), m_text(new QLabel), m_set(new QPushButton), m_back(new QPushButton) {
    setObjectName(QStringLiteral("banner"));
    setAttribute(Qt::WA_StyledBackground);
    m_set->setObjectName(QStringLiteral("bannerSet"));
    m_back->setObjectName(QStringLiteral("bannerBack"));
    auto* row = new QHBoxLayout(this);
    row->setContentsMargins(12, 5, 6, 5);
    row->addWidget(m_text);
    row->addSpacing(10);
    row->addWidget(m_set);
    row->addWidget(m_back);
    hide();
    connect(m_set, &QPushButton::clicked, this, &OffMoveBanner::keepOrShow);
    connect(m_back, &QPushButton::clicked, &m_session.camera, &ShownCamera::backToMove);
}

void OffMoveBanner::keepOrShow() {
    const auto& off = m_session.camera.offMove();
    if (!off) return;
    if (m_session.camera.offHere())
        m_session.camera.setMarkOffMove();
    else
        m_session.playhead.setFrame(frameAt(off->time, m_session.scene()->output.rate));
}

void OffMoveBanner::refresh(double middle, double top) {
    const auto& off = m_session.camera.offMove();
    setVisible(off.has_value());
    if (!off) return;
    if (m_session.camera.offHere()) {
        m_text->setText(tr("Off the move: set a mark here, or go back"));
        m_set->setText(tr("Set a mark here"));
        m_back->setText(tr("Go back"));
    } else {
        const auto& rate = m_session.scene()->output.rate;
        m_text->setText(tr("A pose off the move waits at %1")
                            .arg(QString::fromStdString(scene::timecode(frameAt(off->time, rate), rate))));
        m_set->setText(tr("Show it"));
        m_back->setText(tr("Discard"));
    }
    adjustSize();
    move(static_cast<int>(middle - width() / 2.0), static_cast<int>(top));
}

}
