// How the selected layers are mixed with what lies behind them.
#pragma once

#include "desk/details/part.h"

namespace stage::desk {

class LookPart : public Part {
    Q_OBJECT
public:
    explicit LookPart(Session& session);

protected:
    bool applies() const override { return !m_session.selection.layers().empty(); }

private:
    double opacity() const; ///< at the playhead; of several: of the first
    void setOpacity(double share);
    int blend() const; ///< -1: they differ
};

}
