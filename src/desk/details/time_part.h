// When a layer shows and how it fades, in the details: in and out, fades in time and by its distance.
#pragma once

#include "desk/details/part.h"

namespace stage::desk {

class TimePart : public Part {
    Q_OBJECT
public:
    explicit TimePart(Session& session);

protected:
    bool applies() const override { return layer() != nullptr; }

private:
    void addTimes();
    void addDistances();
    const scene::Showing& showing() const { return layer()->showing; }
    void set(const char* member, double seconds);
    void setNear(double gone, double full); ///< m
    void setFar(double full, double gone);  ///< m
};

}
