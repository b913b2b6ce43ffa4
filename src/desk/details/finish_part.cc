#include "desk/details/finish_part.h"

#include "desk/kit/form.h"
#include "scene/finish_json.h"
#include "scene/scene_json.h"

#include <QPushButton>
#include <QVBoxLayout>
#include <algorithm>

namespace stage::desk {
template <class Of>
void FinishPart::number(const QString& name, const NumberStyle& style, const QString& tip, const char* key,
                        Of scene::Finish::*part, const char* member, double Of::*value, double low,
                        double high) {
    const auto now = [this, part, value] { return finish().*part.*value; };
    const auto set = [this, key, member, low, high](double v) {
        change(key, {{member, std::clamp(v, low, high)}});
    };
    if (style.measured == scene::Measured::Percent)
        m_rows.share(name, style, tip, now, set);
    else
        m_rows.number(name, style, tip, now, set);
}

FinishPart::FinishPart(Session& session) : Part(session) {
    using scene::Finish;
    const NumberStyle px = plain(tr("px"), 0, 4);
    m_rows.section(tr("Glow and softness"));
    number(tr("Glow"), percent(10), tr("How much of the light above the threshold is spread"), "glow",
           &Finish::glow, "strength", &scene::Glow::strength, 0, 1000);
    number(tr("Brighter than"), plain({}, 2, 0.05), tr("Light from which on it spreads; 1 is white"), "glow",
           &Finish::glow, "threshold", &scene::Glow::threshold, 0, 1000);
    number(tr("Glow reach"), px, tr("Pixels of the picture: no light gets farther"), "glow", &Finish::glow,
           "reach", &scene::Glow::reach, 0.1, 2000);
    m_rows.colour(
        tr("Glow tint"), [this] { return finish().glow.tint; },
        [this](const scene::Colour& colour) {
            change("glow", {{"tint", scene::toJson(colour)}});
        });
    number(tr("Drop shadow"), percent(10), tr("In the layer's own plane, behind its picture"), "dropShadow",
           &Finish::shadow, "strength", &scene::DropShadow::strength, 0, 1);
    number(tr("Falls by"), px, tr("Pixels of the picture"), "dropShadow", &Finish::shadow, "distance",
           &scene::DropShadow::distance, 0, 2000);
    number(tr("Falls to"), degrees(15), tr("To which it falls: 0 to the right, 90 up"), "dropShadow",
           &Finish::shadow, "direction", &scene::DropShadow::direction, -36'000, 36'000);
    number(tr("Shadow border"), px, tr("Pixels that its border reaches out"), "dropShadow", &Finish::shadow,
           "softness", &scene::DropShadow::softness, 0, 2000);
    m_rows.colour(
        tr("Shadow colour"), [this] { return finish().shadow.colour; },
        [this](const scene::Colour& colour) {
            change("dropShadow", {{"colour", scene::toJson(colour)}});
        });
    number(tr("Soft focus"), plain(tr("px"), 1, 1), tr("Of the picture, whatever the lens does; 0: sharp"),
           "softFocus", &Finish::soft, "radius", &scene::SoftFocus::radius, 0, 2000);
    number(tr("Soft share"), percent(10), tr("Of the soft picture; the rest is sharp"), "softFocus",
           &Finish::soft, "share", &scene::SoftFocus::share, 0, 1);
}

bool FinishPart::applies() const {
    const auto only = layer();
    return only && !only->group() && !only->box();
}

const scene::Finish& FinishPart::finish() const {
    static const scene::Finish none;
    return layer() && layer()->finish ? *layer()->finish : none;
}

void FinishPart::change(const char* part, const scene::Json& members) {
    if (applies()) apply({{"edit", "finish"}, {"layers", {layer()->id}}, {part, members}});
}

GlarePart::GlarePart(Session& session) : Part(session) {
    const auto glare = [this]() -> const scene::Glare& { return m_session.scene()->glare; };
    m_rows.section(tr("Glare"));
    const auto number = [&](const QString& name, const NumberStyle& style, const QString& tip,
                            const char* member, double scene::Glare::*value, double low, double high) {
        const auto now = [glare, value] { return glare().*value; };
        const auto set = [this, member, low, high](double v) {
            change({{member, std::clamp(v, low, high)}});
        };
        if (style.measured == scene::Measured::Percent)
            m_rows.share(name, style, tip, now, set);
        else
            m_rows.number(name, style, tip, now, set);
    };
    number(tr("Glare"), percent(5), tr("How much of the light above the threshold the lens spreads"),
           "strength", &scene::Glare::strength, 0, 1000);
    number(tr("Brighter than"), plain({}, 2, 0.1), tr("Light from which on it spreads; 1 is white"),
           "threshold", &scene::Glare::threshold, 0, 1000);
    number(tr("Glare radius"), percent(0.5, 1), tr("Of the frame's width"), "radius", &scene::Glare::radius,
           1e-4, 0.25);
    number(tr("In streaks"), percent(10),
           tr("How much of it goes along streaks, across the blades of the iris; a round one has none"),
           "streaks", &scene::Glare::streaks, 0, 1);
    number(tr("Streak length"), percent(0.5, 1), tr("Of the frame's width"), "length", &scene::Glare::length,
           1e-4, 0.25);
    m_rows.colour(
        tr("Glare tint"), [glare] { return glare().tint; },
        [this](const scene::Colour& colour) {
            change({{"tint", scene::toJson(colour)}});
        });
}

void GlarePart::change(const scene::Json& members) {
    scene::Json edit = {{"edit", "glare"}};
    edit.update(members);
    apply(edit);
}

}
