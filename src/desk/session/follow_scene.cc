#include "desk/session/follow_scene.h"

#include <QTimer>
#include <QWidget>

namespace stage::desk {

void followSceneAside(Document& document, QWidget* view, std::function<void()> update) {
    constexpr int apart = 120; // ms
    auto* later = new QTimer(view);
    later->setSingleShot(true);
    later->setInterval(apart);
    QObject::connect(later, &QTimer::timeout, view, update);
    QObject::connect(&document, &Document::sceneChanged, view, [&document, view, later, update] {
        if (document.previewing() && !view->underMouse()) {
            if (!later->isActive()) later->start();
            return;
        }
        later->stop();
        update();
    });
}

}
