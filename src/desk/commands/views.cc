#include "desk/commands/views.h"

#include "desk/camera/camera_view.h"
#include "desk/cutting/cut_view.h"
#include "desk/kit/panes.h"
#include "desk/set/draft_view.h"
#include "desk/set/model_view.h"
#include "desk/time/curve_view.h"
#include "desk/time/timeline.h"

namespace stage::desk {

void Views::fitAll() const {
    camera->fitAll();
    plan->fitAll();
    section->fitAll();
    model->fitAll();
    curves->fitAll();
    timeline->fitAll();
}

void Views::fitSelection() const {
    camera->fitSelection();
    plan->fitSelection();
    section->fitSelection();
    model->fitSelection();
}

bool Views::cutting() const {
    return panes->shows(Panes::View::CutOut);
}

void Views::setCutting(bool on) const {
    if (on == cutting()) return;
    if (!on) return panes->conceal(Panes::View::CutOut);
    panes->reveal(Panes::View::CutOut);
    cut->setFocus();
}

void Views::setFolded(bool on) const {
    plan->setFolded(on);
    section->setFolded(on);
}

}
