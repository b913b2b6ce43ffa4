// The camera at the playhead, its lens, the air, and how the move goes on, in the details.
#pragma once

#include "desk/details/part.h"
#include "motion/walking.h"

namespace stage::desk {

class PaceChoice;

class CameraPart : public Part {
    Q_OBJECT
public:
    explicit CameraPart(Session& session);

protected:
    bool applies() const override { return m_session.selection.layers().empty(); }

private:
    void addPlace();
    void addLens();
    void addGate();
    void addIris();
    void addReadings();
    void addAir();
    void addAmbient();
    void addPace();
    /// A number of the pose at the playhead; setting it walks the camera. stops: what the wheel goes through.
    void addPose(const QString& name, const NumberStyle& style, const QString& tip,
                 std::function<double&(scene::Pose&)> member, double least, double most,
                 std::vector<double> stops = {});
    void setIris(int blades, double turn);
    void typeGate();
    void showGate();
    double seconds() const { return m_session.playhead.time().toDouble(); }

    QComboBox* m_gate;
};

}
