#include "scene/quantity.h"
#include "scene/fields.h"

#include <cctype>
#include <charconv>
#include <cmath>
#include <numbers>
#include <optional>

namespace stage::scene {
namespace {

struct Unit {
    std::string_view name;
    double factor;
};

constexpr Unit lengths[] = {{"m", 1},     {"cm", 0.01},   {"mm", 0.001},
                            {"km", 1000}, {"in", 0.0254}, {"ft", 0.3048}};
constexpr Unit angles[] = {{"deg", 1}, {"\xC2\xB0", 1}, {"rad", 180 / std::numbers::pi}};
constexpr Unit focals[] = {{"mm", 1}, {"cm", 10}};
constexpr Unit percents[] = {{"%", 1}};
constexpr Unit pixelUnits[] = {{"px", 1}};

class Parser {
public:
    Parser(std::string_view text, Measured measured) : m_text(text), m_measured(measured) {}

    double whole() {
        const double value = sum();
        skip();
        if (m_at != m_text.size())
            throw Misread{"'" + std::string(m_text.substr(m_at)) + "' is not understood here."};
        if (!std::isfinite(value)) throw Misread{"That is not a finite number."};
        return value;
    }

private:
    void skip() {
        while (m_at < m_text.size() && std::isspace(static_cast<unsigned char>(m_text[m_at])))
            ++m_at;
    }
    bool take(char c) {
        skip();
        if (m_at < m_text.size() && m_text[m_at] == c) return ++m_at, true;
        return false;
    }
    double sum() {
        double value = product();
        for (;;) {
            if (take('+'))
                value += product();
            else if (take('-'))
                value -= product();
            else
                return value;
        }
    }
    double product() {
        double value = single();
        for (;;) {
            if (take('*'))
                value *= single();
            else if (take('/'))
                value /= single();
            else
                return value;
        }
    }
    double single() {
        if (++m_depth > 100) throw Misread{"That is nested too deep."};
        double value = 0;
        skip();
        if (take('-'))
            value = -single();
        else if (take('+'))
            value = single();
        else if (take('(')) {
            value = sum();
            if (!take(')')) throw Misread{"A ')' is missing."};
            value *= unit();
        } else {
            std::string number;
            while (m_at < m_text.size() && (std::isdigit(static_cast<unsigned char>(m_text[m_at])) ||
                                            m_text[m_at] == '.' || m_text[m_at] == ','))
                number += m_text[m_at] == ',' ? '.' : m_text[m_at], ++m_at;
            const auto [end, error] = std::from_chars(number.data(), number.data() + number.size(), value);
            if (error != std::errc{} || end != number.data() + number.size())
                throw Misread{m_at >= m_text.size()
                                  ? "A number is missing at the end."
                                  : "'" + std::string(m_text.substr(m_at)) + "' is not a number."};
            value *= unit();
        }
        --m_depth;
        return value;
    }
    double unit() {
        skip();
        const Unit* list = nullptr;
        std::size_t count = 0;
        const auto use = [&](const auto& units) { list = units, count = std::size(units); };
        switch (m_measured) {
        case Measured::Length:
            use(lengths);
            break;
        case Measured::Angle:
            use(angles);
            break;
        case Measured::Focal:
            use(focals);
            break;
        case Measured::Percent:
            use(percents);
            break;
        case Measured::Pixels:
            use(pixelUnits);
            break;
        case Measured::Plain:
            break;
        }
        const Unit* best = nullptr;
        for (std::size_t i = 0; i < count; ++i)
            if (m_text.substr(m_at).starts_with(list[i].name) &&
                (!best || list[i].name.size() > best->name.size()))
                best = &list[i];
        if (!best) return 1;
        m_at += best->name.size();
        return best->factor;
    }

    std::string_view m_text;
    Measured m_measured;
    std::size_t m_at = 0;
    int m_depth = 0;
};

}

Result<double> quantity(std::string_view text, Measured measured) {
    // A typographic minus is what the program itself shows.
    std::string plain(text);
    for (auto at = plain.find("\xE2\x88\x92"); at != std::string::npos; at = plain.find("\xE2\x88\x92"))
        plain.replace(at, 3, "-");
    try {
        return Parser(plain, measured).whole();
    } catch (const Misread& misread) {
        return fail(misread.sentence);
    }
}

Result<std::int64_t> frameFromText(std::string_view text, Rational rate) {
    std::int64_t parts[3] = {};
    int count = 0;
    std::size_t at = 0;
    const auto misread = [] {
        return fail("A time is written 00:03:10 (minutes, seconds, frames), 3.5s, or as a number of frames.");
    };
    if (text.find(':') == std::string_view::npos) {
        const bool seconds = text.ends_with('s');
        if (seconds) text.remove_suffix(1);
        const auto value = quantity(text, Measured::Plain);
        if (!value || std::abs(*value) > 1e9) return misread();
        return seconds ? static_cast<std::int64_t>(std::llround(*value * rate.toDouble()))
                       : std::llround(*value);
    }
    for (;;) {
        const auto end = std::min(text.find(':', at), text.size());
        if (count == 3) return misread();
        const auto [last, error] = std::from_chars(text.data() + at, text.data() + end, parts[count]);
        if (error != std::errc{} || last != text.data() + end || parts[count] < 0 || parts[count] > 1'000'000)
            return misread();
        ++count;
        if (end == text.size()) break;
        at = end + 1;
    }
    const std::int64_t minutes = count == 3 ? parts[0] : 0, seconds = parts[count - 2],
                       frames = parts[count - 1];
    return (Rational(minutes * 60 + seconds) * rate).ceil() + frames;
}

std::string timecode(std::int64_t frame, Rational rate) {
    const std::int64_t second = (Rational(frame) / rate).floor();
    // The first frame at or after the second's start counts as its frame 0.
    const std::int64_t rest = frame - (Rational(second) * rate).ceil();
    char text[64];
    std::snprintf(text, sizeof text, "%02lld:%02lld:%02lld", static_cast<long long>(second / 60),
                  static_cast<long long>(second % 60), static_cast<long long>(rest));
    return text;
}

}
