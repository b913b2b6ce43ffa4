#include "desk/window/start_page.h"

#include "desk/kit/settings.h"
#include "desk/look/theme.h"

#include <QEvent>
#include <QFileInfo>
#include <QLabel>
#include <QPushButton>
#include <QVBoxLayout>

namespace stage::desk {
namespace {

constexpr int mostOffered = 4;

}

StartPage::StartPage(QWidget* on) : QWidget(on) {
    setObjectName(QStringLiteral("startPage"));
    setAccessibleName(tr("Ways to begin"));
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(8);
    auto* says = new QLabel(tr("Drop pictures, layered files or footage here, or begin with"));
    says->setObjectName(QStringLiteral("dim"));
    says->setAlignment(Qt::AlignCenter);
    layout->addWidget(says);
    layout->addSpacing(4);
    const auto button = [&](const char* name, const QString& icon, const QString& text, const QString& tip) {
        auto* b = new QPushButton(theme::icon(icon), text);
        b->setObjectName(QString::fromLatin1(name));
        b->setToolTip(tip);
        b->setMinimumWidth(240);
        layout->addWidget(b, 0, Qt::AlignCenter);
        return b;
    };
    connect(button("startPicture", QStringLiteral("folder-open"), tr("A picture…"),
                   tr("Pictures, layered files or footage; their size becomes that of the frame")),
            &QPushButton::clicked, this, &StartPage::pictureAsked);
    connect(button("startDemo", QStringLiteral("play"), tr("The demo"),
                   tr("The lantern quay, as a copy: nothing can be spoilt")),
            &QPushButton::clicked, this, &StartPage::demoAsked);
    m_recent = new QVBoxLayout;
    m_recent->setSpacing(2);
    layout->addLayout(m_recent);
    on->installEventFilter(this);
    hide();
}

void StartPage::offer(bool on) {
    if (on == !isHidden()) return;
    while (QLayoutItem* item = m_recent->takeAt(0)) {
        item->widget()->deleteLater(); // it may be the one that was pressed
        delete item;
    }
    if (on) {
        int offered = 0;
        for (const QString& file : settings().value(QStringLiteral("recent")).toStringList()) {
            if (!QFileInfo::exists(file) || offered == mostOffered) continue;
            if (offered++ == 0) {
                auto* title = new QLabel(tr("A scene worked on before"));
                title->setObjectName(QStringLiteral("dim"));
                title->setAlignment(Qt::AlignCenter);
                title->setContentsMargins(0, 8, 0, 2);
                m_recent->addWidget(title);
            }
            auto* b = new QPushButton(QFileInfo(file).completeBaseName());
            b->setObjectName(QStringLiteral("startScene"));
            b->setFlat(true);
            b->setToolTip(file);
            b->setMinimumWidth(240);
            connect(b, &QPushButton::clicked, this, [this, file] { Q_EMIT sceneAsked(file); });
            m_recent->addWidget(b, 0, Qt::AlignCenter);
        }
    }
    setVisible(on);
    place();
}

bool StartPage::eventFilter(QObject* watched, QEvent* event) {
    if (event->type() == QEvent::Resize) place();
    return QWidget::eventFilter(watched, event);
}

void StartPage::place() {
    adjustSize();
    move((parentWidget()->width() - width()) / 2, std::max(8, (parentWidget()->height() - height()) / 2));
}

}
