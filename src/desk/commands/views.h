// The views of the desk, together. All belong to the window.
#pragma once

namespace stage::desk {

class CameraView;
class CurveView;
class CutView;
class DraftView;
class Ladder;
class MarksStrip;
class ModelView;
class PaceView;
class Panes;
class ScopesView;
class Timeline;

struct Views {
    CameraView* camera = nullptr;
    DraftView *plan = nullptr, *section = nullptr;
    ModelView* model = nullptr;
    Ladder* ladder = nullptr;
    CutView* cut = nullptr;
    CurveView* curves = nullptr;
    ScopesView* scopes = nullptr;
    MarksStrip* marks = nullptr;
    Timeline* timeline = nullptr;
    PaceView* pace = nullptr;
    Panes* panes = nullptr; ///< in which those but the marks, the timeline and the pace are shown

    /// Every view shows all of what it is about.
    void fitAll() const;
    void fitSelection() const;
    /// Whether the cut-out view is shown; setting it on gives it the focus, setting it off shows again what
    /// stood in its place.
    bool cutting() const;
    void setCutting(bool on) const;
    /// Of Plan and Section: depth that is far takes less room.
    void setFolded(bool on) const;
};

}
