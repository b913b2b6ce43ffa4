// What is set of several selected layers together: pushed, spread in depth, aligned.
#pragma once

#include "desk/details/part.h"

namespace stage::desk {

class ManyPart : public Part {
    Q_OBJECT
public:
    explicit ManyPart(Session& session);

protected:
    bool applies() const override { return m_session.selection.layers().size() > 1; }

private:
    void addPushes();
    void addSpread();
    void addAligns();
    std::pair<double, double> depths() const; ///< of the nearest and the farthest, m

    NumberField* m_allAt;
};

}
