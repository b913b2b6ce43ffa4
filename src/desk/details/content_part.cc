#include "desk/details/content_part.h"

#include "desk/details/field_row.h"
#include "desk/kit/form.h"
#include "desk/look/theme.h"
#include "motion/pixels.h"
#include "motion/track.h"
#include "scene/cutout_json.h"
#include "scene/scene_json.h"

#include <QCheckBox>
#include <QComboBox>
#include <QPushButton>
#include <QVBoxLayout>
#include <cmath>

namespace stage::desk {

ContentPart::ContentPart(Session& session, QWidget* parent) : QWidget(parent), m_session(session) {
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(0);
    layout->addWidget(m_footage = makeFootage());
    layout->addWidget(m_text = makeText());
    layout->addWidget(m_card = makeCard());
}

void ContentPart::refresh() {
    const bool footage = content<scene::Footage>(), text = content<scene::Text>(),
               card = content<scene::Card>();
    m_footage->setVisible(footage);
    m_text->setVisible(text);
    m_card->setVisible(card);
    for (const auto& row : footage ? m_footageRows : text ? m_textRows : m_cardRows)
        if (footage || text || card) row();
}

void ContentPart::change(const char* edit, scene::Json members) {
    const auto layer = m_session.selection.only().layer;
    if (!layer) return;
    scene::Json whole = {{"edit", edit}};
    if (std::string_view(edit) == "footage")
        whole["layers"] = {layer->id};
    else
        whole["layer"] = layer->id;
    whole.update(members);
    m_session.document.apply(whole);
}

NumberField* ContentPart::field(QVBoxLayout* layout, const QString& name, scene::Measured measured,
                                const QString& unit, int decimals, double step, const QString& tip,
                                std::function<double()> now, std::function<void(double)> set) {
    auto* number = desk::field(m_session, layout, name, measured, unit, decimals, step, tip);
    connect(number, &NumberField::entered, this, std::move(set));
    m_rows->push_back([number, now = std::move(now)] { number->setValue(now()); });
    return number;
}

// ---- footage

QWidget* ContentPart::makeFootage() {
    m_rows = &m_footageRows;
    auto* widget = new QWidget;
    auto* layout = new QVBoxLayout(widget);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(4);
    section(layout, tr("Time"));
    using scene::Measured;
    const auto footage = [this] { return content<scene::Footage>(); };
    field(
        layout, tr("Starts at"), Measured::Plain, tr("fr"), 0, 1,
        tr("Frame of the scene at which the first frame used shows"),
        [this, footage] { return (footage()->start * m_session.scene()->output.rate).toDouble(); },
        [this](double v) {
            const Rational start =
                Rational(std::llround(std::clamp(v, -1e6, 1e6))) / m_session.scene()->output.rate;
            change("footage", {{"start", start.text()}});
        });
    field(
        layout, tr("In"), Measured::Plain, tr("fr"), 0, 1, tr("First frame of the clip that is used"),
        [footage] { return static_cast<double>(footage()->in); },
        [this, footage](double v) {
            if (const auto* f = footage())
                change("footage", {{"in", std::clamp<std::int64_t>(std::llround(v), 0, f->last())}});
        });
    field(
        layout, tr("Out"), Measured::Plain, tr("fr"), 0, 1, tr("Last frame of the clip that is used"),
        [footage] { return static_cast<double>(footage()->last()); },
        [this, footage](double v) {
            if (const auto* f = footage())
                change("footage",
                       {{"out", std::clamp<std::int64_t>(std::llround(v), f->in, f->frames - 1) + 1}});
        });
    field(
        layout, tr("Speed"), Measured::Percent, QStringLiteral("%"), 1, 10,
        tr("100 % as filmed, 50 % half as fast; below 0 it plays backwards"),
        [this, footage] {
            const auto* f = footage();
            return 100 * (f->speeds.empty()
                              ? f->speed.toDouble()
                              : motion::valueAt(f->speeds, m_session.playhead.time() - f->start));
        },
        [this, footage](double v) {
            const auto* f = footage();
            if (!f) return;
            v = std::clamp(v, -100'000.0, 100'000.0) / 100;
            if (f->speeds.empty())
                return change("footage", {{"speed", Rational(std::llround(v * 1000), 1000).text()}});
            const scene::Json keys = {{"keys", scene::timeToJson(*f)["speeds"]}};
            change("footage",
                   {{"speeds", scene::withValueAt(keys, m_session.playhead.time() - f->start, v)["keys"]}});
        });
    auto* varies = tick(layout, tr("Speed changes"), false,
                        tr("On: a speed set at the playhead is a key there, and it runs from key to key"));
    connect(varies, &QCheckBox::clicked, this, [this, footage](bool on) {
        const auto* f = footage();
        if (!f) return;
        scene::Json keys = scene::Json::array();
        if (on)
            keys.push_back(
                {{"time", (m_session.playhead.time() - f->start).text()}, {"value", f->speed.toDouble()}});
        change("footage", {{"speeds", std::move(keys)}});
    });
    m_rows->push_back([footage, varies] { varies->setChecked(!footage()->speeds.empty()); });
    auto* ends = choice(layout, tr("At its ends"), {tr("hold"), tr("loop"), tr("ping-pong"), tr("vanish")}, 0,
                        tr("What shows before its first and after its last frame"));
    connect(ends, &QComboBox::activated, this, [this](int i) {
        change("footage", {{"ends", scene::endsNames[static_cast<std::size_t>(i)]}});
    });
    auto* mix = tick(layout, tr("Mix frames"), false,
                     tr("Between two frames both show, so that slow motion does not step"));
    connect(mix, &QCheckBox::clicked, this, [this](bool on) { change("footage", {{"mix", on}}); });
    auto* freeze =
        tick(layout, tr("Freeze"), false, tr("Only the frame that shows at the playhead, all the time"));
    connect(freeze, &QCheckBox::clicked, this, [this, footage](bool on) {
        const auto* f = footage();
        if (!f) return;
        const auto now = motion::footageAt(*f, m_session.playhead.time());
        change("footage", {{"freeze", on ? scene::Json(now ? now->frame : f->in) : scene::Json()}});
    });
    m_rows->push_back([footage, ends, mix, freeze] {
        ends->setCurrentIndex(static_cast<int>(footage()->ends));
        mix->setChecked(footage()->mix);
        freeze->setChecked(footage()->freeze.has_value());
    });
    return widget;
}

// ---- text

QWidget* ContentPart::makeText() {
    m_rows = &m_textRows;
    auto* widget = new QWidget;
    auto* layout = new QVBoxLayout(widget);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(4);
    const auto text = [this] { return content<scene::Text>(); };
    const auto percent = [&](const QString& name, const QString& tip, double low, double high,
                             const char* member, double scene::Text::*value) {
        field(
            layout, name, scene::Measured::Percent, QStringLiteral("%"), 1, 1, tip,
            [text, value] { return 100 * text()->*value; },
            [this, member, low, high](double v) {
                change("text", {{member, std::clamp(v / 100, low, high)}});
            });
    };
    const auto colour = [&](const QString& name, const char* member, scene::Colour scene::Text::*value) {
        auto* button = colourRow(
            layout, name, [text, value] { return text()->*value; },
            [this, member](const scene::Colour& c) {
                change("text", {{member, scene::toJson(c)}});
            });
        m_rows->push_back([text, button, value] { setSwatch(button, text()->*value); });
    };
    auto* align = choice(layout, tr("Lines"), {tr("left"), tr("centred"), tr("right")}, 0,
                         tr("How several lines stand"));
    connect(align, &QComboBox::activated, this, [this](int i) {
        const char* names[] = {"left", "centre", "right"};
        change("text", {{"align", names[i]}});
    });
    m_rows->push_back([text, align] { align->setCurrentIndex(static_cast<int>(text()->align)); });
    percent(tr("Tracking"), tr("Extra space between letters, in percent of an em"), -1, 10, "tracking",
            &scene::Text::tracking);
    percent(tr("Line height"), tr("Percent of the font's own"), 0.1, 10, "lineHeight",
            &scene::Text::lineHeight);
    section(layout, tr("Around the letters"));
    percent(tr("Line"), tr("Width of a line around the letters, in percent of an em"), 0, 1, "outline",
            &scene::Text::outline);
    colour(tr("Line colour"), "outlineColour", &scene::Text::outlineColour);
    percent(tr("Glow"), tr("How far light spreads, in percent of an em"), 0, 2, "glow", &scene::Text::glow);
    colour(tr("Glow colour"), "glowColour", &scene::Text::glowColour);
    percent(tr("Shadow"), tr("Softness of the shadow, in percent of an em; its colour makes it appear"), 0, 2,
            "shadow", &scene::Text::shadow);
    const auto by = [&](const QString& name, int axis, const QString& tip) {
        field(
            layout, name, scene::Measured::Percent, QStringLiteral("%"), 1, 1, tip,
            [text, axis] { return 100 * text()->shadowBy[axis]; },
            [this, text, axis](double v) {
                V2d to = text()->shadowBy;
                to[axis] = std::clamp(v / 100, -2.0, 2.0);
                change("text", {{"shadowBy", {to.x, to.y}}});
            });
    };
    by(tr("Falls right"), 0, tr("Percent of an em"));
    by(tr("Falls down"), 1, tr("Percent of an em"));
    colour(tr("Shadow colour"), "shadowColour", &scene::Text::shadowColour);
    return widget;
}

// ---- cards

QWidget* ContentPart::makeCard() {
    m_rows = &m_cardRows;
    auto* widget = new QWidget;
    auto* layout = new QVBoxLayout(widget);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(4);
    section(layout, tr("Card"));
    const auto card = [this] { return content<scene::Card>(); };
    // The stops between the first and the last are kept as they are.
    const auto setStop = [this, card](bool first, const scene::Colour& c) {
        scene::Card next = *card();
        if (!first && next.stops.size() < 2) next.stops.push_back({1, c});
        (first ? next.stops.front() : next.stops.back()).colour = c;
        scene::Json stops = scene::Json::array();
        for (const scene::Card::Stop& stop : next.stops)
            stops.push_back({{"at", stop.at}, {"colour", scene::toJson(stop.colour)}});
        change("card", {{"stops", std::move(stops)}});
    };
    for (const bool first : {true, false}) {
        auto* button = colourRow(
            layout, first ? tr("From") : tr("To"),
            [card, first] { return first ? card()->stops.front().colour : card()->stops.back().colour; },
            [setStop, first](const scene::Colour& c) { setStop(first, c); });
        m_rows->push_back([card, button, first] {
            setSwatch(button, first ? card()->stops.front().colour : card()->stops.back().colour);
        });
    }
    field(
        layout, tr("Runs"), scene::Measured::Angle, QStringLiteral("°"), 1, 15,
        tr("0: from the left to the right; 90: from the top down"), [card] { return card()->turn; },
        [this](double v) {
            change("card", {{"turn", v}});
        });
    auto* radial = tick(layout, tr("From the centre out"), false, tr("To the corners, in circles"));
    connect(radial, &QCheckBox::clicked, this, [this](bool on) { change("card", {{"radial", on}}); });
    m_rows->push_back([card, radial] { radial->setChecked(card()->radial); });
    return widget;
}

}
