// The pace at the playhead: of the whole move where that has one, else of the move there. What it is called,
// how it is changed, and the box in which it is chosen by name.
#pragma once

#include "desk/session/session.h"

#include <QComboBox>

namespace stage::desk {

struct PaceScope {
    bool whole = false;
    std::size_t move = 0;
    double begin = 0, end = 0; ///< seconds
};
/// Nothing where there is no move.
std::optional<PaceScope> paceAtTime(const scene::Scene& scene, double seconds);
const scene::Pace& paceOf(const scene::Camera& camera, const PaceScope& scope);
/// An edit that gives it a pace.
edit::Edit paceEdit(const PaceScope& scope, edit::Edit pace);
/// An edit that gives one pace to the whole move, that which it has at a time; or gives each move its own.
edit::Edit wholePaceEdit(const scene::Scene& scene, double seconds, bool whole);
QString paceName(const scene::Pace& pace);

class PaceChoice : public QComboBox {
    Q_OBJECT
public:
    explicit PaceChoice(Session& session, QWidget* parent = nullptr);
    void refresh();

private:
    Session& m_session;
};

}
