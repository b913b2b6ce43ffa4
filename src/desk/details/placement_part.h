// Where the one selected layer stands, and what the lens makes of it.
#pragma once

#include "desk/details/part.h"
#include "motion/measure.h"

#include <QTimer>

namespace stage::desk {

class PlacementPart : public Part {
    Q_OBJECT
public:
    explicit PlacementPart(Session& session);

protected:
    bool applies() const override { return layer() != nullptr; }

private:
    void addPlace();
    void addSize();
    void addTurns();
    void addReadings();
    const scene::LayerPath& found() const; ///< as it stands at the playhead
    void slideTo(int axis, double metres);
    void turnTo(int axis, double degrees);
    V3d turn() const;
    void scaleTo(double across, double up); ///< factors
    QString sizeInFrame() const;
    QString blur() const;
    void addEnlargement();

    motion::Measure m_measured; ///< as it was last shown: a large group is looked at once, not for each row
    QCheckBox* m_locked;
    QTimer m_settled; ///< travel is measured over the whole move, so not at every step of a drag
};

}
