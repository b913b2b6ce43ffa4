// Which part of the time a view shows: all of it, or what the wheel has spread. A value.
#pragma once

#include <algorithm>
#include <cmath>

namespace stage::interaction {

class TimeScale {
public:
    /// Where time runs in a view: px, and how long all of it is, in the view's own unit.
    struct Room {
        double left = 0, width = 1, whole = 1;
    };

    /// From the first to the last, whatever the room.
    void showAll() { m_span = 0; }
    bool showsAll() const { return m_span <= 0; }
    /// The time at the left edge.
    double first() const { return showsAll() ? 0 : m_first; }
    /// From the left edge to the right one.
    double span(const Room& room) const { return showsAll() ? room.whole : m_span; }
    /// Px of the widget.
    double xOf(double time, const Room& room) const {
        return room.left + (time - first()) / span(room) * room.width;
    }
    /// The inverse of xOf(); not clamped.
    double timeAt(double x, const Room& room) const {
        return first() + (x - room.left) / room.width * span(room);
    }
    /// By turns of a wheel, about what is at x; never less than `least` in view.
    void spread(double x, double turns, double least, const Room& room) {
        const double at = timeAt(x, room), span = std::clamp(this->span(room) * std::pow(0.8, turns),
                                                             std::min(least, room.whole), room.whole);
        m_first = std::clamp(at - std::clamp((x - room.left) / room.width, 0.0, 1.0) * span, 0.0,
                             room.whole - span);
        m_span = span >= room.whole ? 0 : span;
    }
    /// turns: of a wheel; positive goes to earlier times.
    void slide(double turns, const Room& room) {
        if (!showsAll())
            m_first = std::clamp(m_first - turns * m_span * 0.1, 0.0, std::max(0.0, room.whole - m_span));
    }

private:
    double m_first = 0, m_span = 0; ///< in view; span 0: all
};

}
