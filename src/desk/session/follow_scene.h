// Views that stand beside the one that is worked in. Interface thread.
#pragma once

#include "desk/session/document.h"

class QWidget;

namespace stage::desk {

/// Calls `update` when the scene has changed: at once as a rule; while something is dragged elsewhere than
/// over the view, a few times a second, so that what is dragged follows the hand. The last change is never
/// left out.
void followSceneAside(Document& document, QWidget* view, std::function<void()> update);

}
