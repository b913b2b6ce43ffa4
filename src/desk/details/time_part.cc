#include "desk/details/time_part.h"

#include <algorithm>

namespace stage::desk {
namespace {

NumberStyle seconds() {
    return {scene::Measured::Plain, QStringLiteral("s"), 2, 0.25};
}

}

TimePart::TimePart(Session& session) : Part(session) {
    m_rows.section(tr("Time"));
    addTimes();
    addDistances();
}

void TimePart::addTimes() {
    m_rows.number(
        tr("In"), seconds(), tr("Seconds; from then on it shows. 0: from the start"),
        [this] { return showing().in.value_or(Rational(0)).toDouble(); },
        [this](double v) {
            applyToAll("showing",
                       {{"in", v > 0 ? edit::Edit(Rational::nearest(v).text()) : edit::Edit(nullptr)}});
        });
    m_rows.number(
        tr("Out"), seconds(), tr("Seconds; until then it shows. The end: to the end"),
        [this] { return showing().out.value_or(scene::lastTime(*m_session.scene())).toDouble(); },
        [this](double v) {
            const bool always = v <= 0 || v >= scene::lastTime(*m_session.scene()).toDouble();
            applyToAll("showing",
                       {{"out", always ? edit::Edit(nullptr) : edit::Edit(Rational::nearest(v).text())}});
        });
    m_rows.number(
        tr("Fade in"), seconds(), tr("Seconds over which it comes"),
        [this] { return showing().fadeIn.toDouble(); }, [this](double v) { set("fadeIn", v); });
    m_rows.number(
        tr("Fade out"), seconds(), tr("Seconds over which it goes"),
        [this] { return showing().fadeOut.toDouble(); }, [this](double v) { set("fadeOut", v); });
}

void TimePart::addDistances() {
    m_rows.number(
        tr("Near: gone"), metres(0.1),
        tr("Metres from the lens at which it has gone, as the camera comes near"),
        [this] { return showing().nearGone; }, [this](double v) { setNear(v, showing().nearFull); });
    m_rows.number(
        tr("Near: full"), metres(0.1),
        tr("Metres from the lens from which on it is all there. 0: it does not fade near"),
        [this] { return showing().nearFull; }, [this](double v) { setNear(showing().nearGone, v); });
    m_rows.number(
        tr("Far: full"), metres(0.1), tr("Metres from the lens up to which it is all there"),
        [this] { return showing().farFull; }, [this](double v) { setFar(v, showing().farGone); });
    m_rows.number(
        tr("Far: gone"), metres(0.1),
        tr("Metres from the lens at which it has gone. 0: it does not fade far"),
        [this] { return showing().farGone; }, [this](double v) { setFar(showing().farFull, v); });
}

void TimePart::set(const char* member, double seconds) {
    applyToAll("showing", {{member, Rational::nearest(std::max(0.0, seconds)).text()}});
}

void TimePart::setNear(double gone, double full) {
    gone = std::max(0.0, gone);
    applyToAll("showing", {{"near", {gone, full > 0 ? std::max(gone, full) : gone}}});
}

void TimePart::setFar(double full, double gone) {
    full = std::max(0.0, full);
    applyToAll("showing", {{"far", {gone > 0 ? std::min(full, gone) : full, std::max(gone, 0.0)}}});
}

}
