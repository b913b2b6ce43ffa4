#include "desk/details/content_part.h"

#include "motion/pixels.h"
#include "motion/track.h"
#include "scene/cutout_json.h"
#include "scene/scene_json.h"

#include <algorithm>
#include <cmath>

namespace stage::desk {
namespace {

NumberStyle frames() {
    return {scene::Measured::Plain, QObject::tr("fr"), 0, 1};
}

}

// ---- footage

FootagePart::FootagePart(Session& session) : Part(session) {
    m_rows.section(tr("Time"));
    addRange();
    addSpeed();
    addEnds();
}

void FootagePart::change(const scene::Json& members) {
    if (!footage()) return;
    applyToAll("footage", members);
}

void FootagePart::addRange() {
    m_rows.number(
        tr("Starts at"), frames(), tr("Frame of the scene at which the first frame used shows"),
        [this] { return (footage()->start * m_session.scene()->output.rate).toDouble(); },
        [this](double v) {
            const Rational start =
                Rational(std::llround(std::clamp(v, -1e6, 1e6))) / m_session.scene()->output.rate;
            change({{"start", start.text()}});
        });
    m_rows.number(
        tr("In"), frames(), tr("First frame of the clip that is used"),
        [this] { return static_cast<double>(footage()->in); },
        [this](double v) {
            if (footage()) change({{"in", std::clamp<std::int64_t>(std::llround(v), 0, footage()->last())}});
        });
    m_rows.number(
        tr("Out"), frames(), tr("Last frame of the clip that is used"),
        [this] { return static_cast<double>(footage()->last()); },
        [this](double v) {
            if (const auto* f = footage())
                change({{"out", std::clamp<std::int64_t>(std::llround(v), f->in, f->frames - 1) + 1}});
        });
}

void FootagePart::addSpeed() {
    m_rows.share(
        tr("Speed"), percent(10, 1), tr("100 % as filmed, 50 % half as fast; below 0 it plays backwards"),
        [this] { return speed(); }, [this](double v) { setSpeed(std::clamp(v, -1000.0, 1000.0)); });
    m_rows.tick(
        tr("Speed changes"),
        tr("On: a speed set at the playhead is a key there, and it runs from key to key"),
        [this] { return !footage()->speeds.empty(); }, [this](bool on) { setVaries(on); });
}

double FootagePart::speed() const {
    const scene::Footage& f = *footage();
    return f.speeds.empty() ? f.speed.toDouble()
                            : motion::valueAt(f.speeds, m_session.playhead.time() - f.start);
}

void FootagePart::setSpeed(double speed) {
    const auto* f = footage();
    if (!f) return;
    if (f->speeds.empty()) return change({{"speed", Rational(std::llround(speed * 1000), 1000).text()}});
    const scene::Json keys = {{"keys", scene::timeToJson(*f)["speeds"]}};
    change({{"speeds", scene::withValueAt(keys, m_session.playhead.time() - f->start, speed)["keys"]}});
}

void FootagePart::setVaries(bool on) {
    const auto* f = footage();
    if (!f) return;
    scene::Json keys = scene::Json::array();
    if (on)
        keys.push_back(
            {{"time", (m_session.playhead.time() - f->start).text()}, {"value", f->speed.toDouble()}});
    change({{"speeds", std::move(keys)}});
}

void FootagePart::addEnds() {
    m_rows.choice(
        tr("At its ends"), {tr("hold"), tr("loop"), tr("ping-pong"), tr("vanish")},
        tr("What shows before its first and after its last frame"),
        [this] { return static_cast<int>(footage()->ends); },
        [this](int i) {
            change({{"ends", scene::endsNames[static_cast<std::size_t>(i)]}});
        });
    m_rows.tick(
        tr("Mix frames"), tr("Between two frames both show, so that slow motion does not step"),
        [this] { return footage()->mix; },
        [this](bool on) {
            change({{"mix", on}});
        });
    m_rows.tick(
        tr("Freeze"), tr("Only the frame that shows at the playhead, all the time"),
        [this] { return footage()->freeze.has_value(); },
        [this](bool on) {
            const auto* f = footage();
            if (!f) return;
            const auto now = motion::footageAt(*f, m_session.playhead.time());
            change({{"freeze", on ? scene::Json(now ? now->frame : f->in) : scene::Json()}});
        });
}

// ---- text

TextPart::TextPart(Session& session) : Part(session) {
    m_rows.choice(
        tr("Lines"), {tr("left"), tr("centred"), tr("right")}, tr("How several lines stand"),
        [this] { return static_cast<int>(text()->align); },
        [this](int i) {
            const char* names[] = {"left", "centre", "right"};
            change({{"align", names[i]}});
        });
    using scene::Text;
    addShare(tr("Tracking"), tr("Extra space between letters, in percent of an em"), -1, 10, "tracking",
             &Text::tracking);
    addShare(tr("Line height"), tr("Percent of the font's own"), 0.1, 10, "lineHeight", &Text::lineHeight);
    m_rows.section(tr("Around the letters"));
    addShare(tr("Line"), tr("Width of a line around the letters, in percent of an em"), 0, 1, "outline",
             &Text::outline);
    addColour(tr("Line colour"), "outlineColour", &Text::outlineColour);
    addShare(tr("Glow"), tr("How far light spreads, in percent of an em"), 0, 2, "glow", &Text::glow);
    addColour(tr("Glow colour"), "glowColour", &Text::glowColour);
    addShare(tr("Shadow"), tr("Softness of the shadow, in percent of an em; its colour makes it appear"), 0,
             2, "shadow", &Text::shadow);
    addFall(tr("Falls right"), 0);
    addFall(tr("Falls down"), 1);
    addColour(tr("Shadow colour"), "shadowColour", &Text::shadowColour);
}

void TextPart::change(const scene::Json& members) {
    if (!text()) return;
    scene::Json edit = {{"edit", "text"}, {"layer", layer()->id}};
    edit.update(members);
    apply(edit);
}

void TextPart::addShare(const QString& name, const QString& tip, double low, double high, const char* member,
                        double scene::Text::*value) {
    m_rows.share(
        name, percent(1, 1), tip, [this, value] { return text()->*value; },
        [this, member, low, high](double v) {
            change({{member, std::clamp(v, low, high)}});
        });
}

void TextPart::addColour(const QString& name, const char* member, scene::Colour scene::Text::*value) {
    m_rows.colour(
        name, [this, value] { return text()->*value; },
        [this, member](const scene::Colour& c) {
            change({{member, scene::toJson(c)}});
        });
}

void TextPart::addFall(const QString& name, int axis) {
    m_rows.share(
        name, percent(1, 1), tr("Percent of an em"), [this, axis] { return text()->shadowBy[axis]; },
        [this, axis](double v) {
            if (!text()) return;
            V2d to = text()->shadowBy;
            to[axis] = std::clamp(v, -2.0, 2.0);
            change({{"shadowBy", {to.x, to.y}}});
        });
}

// ---- cards

CardPart::CardPart(Session& session) : Part(session) {
    m_rows.section(tr("Card"));
    addStop(tr("From"), true);
    addStop(tr("To"), false);
    m_rows.number(
        tr("Runs"), degrees(15), tr("0: from the left to the right; 90: from the top down"),
        [this] { return card()->turn; },
        [this](double v) {
            change({{"turn", v}});
        });
    m_rows.tick(
        tr("From the centre out"), tr("To the corners, in circles"), [this] { return card()->radial; },
        [this](bool on) {
            change({{"radial", on}});
        });
}

void CardPart::change(const scene::Json& members) {
    if (!card()) return;
    scene::Json edit = {{"edit", "card"}, {"layer", layer()->id}};
    edit.update(members);
    apply(edit);
}

void CardPart::addStop(const QString& name, bool first) {
    m_rows.colour(
        name, [this, first] { return first ? card()->stops.front().colour : card()->stops.back().colour; },
        [this, first](const scene::Colour& c) { setStop(first, c); });
}

/// The stops between the first and the last are kept as they are.
void CardPart::setStop(bool first, const scene::Colour& colour) {
    if (!card()) return;
    scene::Card next = *card();
    if (!first && next.stops.size() < 2) next.stops.push_back({1, colour});
    (first ? next.stops.front() : next.stops.back()).colour = colour;
    scene::Json stops = scene::Json::array();
    for (const scene::Card::Stop& stop : next.stops)
        stops.push_back({{"at", stop.at}, {"colour", scene::toJson(stop.colour)}});
    change({{"stops", std::move(stops)}});
}

}
