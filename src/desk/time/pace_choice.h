// The pace at the playhead: of the whole move where that has one, else of the move there. What it is called,
// and the box in which it is chosen by name.
#pragma once

#include "desk/session/session.h"
#include "interaction/pace_edits.h"

#include <QComboBox>

namespace stage::desk {

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
