#include "scene/fields.h"

#include "scene/utf8.h"

#include <charconv>
#include <cmath>
#include <span>

namespace stage::scene {
namespace {

std::string shortNumber(double value) {
    char buffer[32];
    std::snprintf(buffer, sizeof buffer, "%.10g", value);
    return buffer;
}

std::string kindOf(const Json& value) {
    switch (value.type()) {
    case Json::value_t::null:
        return "nothing (null)";
    case Json::value_t::object:
        return "an object";
    case Json::value_t::array:
        return "a list";
    case Json::value_t::string:
        return "a text";
    case Json::value_t::boolean:
        return "true or false";
    default:
        return "a number";
    }
}

Rational rationalOf(const Json& value, const std::string& where, Rational low, Rational high) {
    Rational result;
    if (value.is_number_integer()) {
        if (std::abs(value.get<double>()) > 1e15) throw Misread{"'" + where + "' is out of range"};
        result = Rational(value.get<std::int64_t>());
    } else if (value.is_string()) {
        const std::string text = value.get<std::string>();
        std::int64_t num = 0, den = 1;
        const char* end = text.data() + text.size();
        auto [slash, error] = std::from_chars(text.data(), end, num);
        bool ok = error == std::errc{};
        if (ok && slash != end) {
            ok = *slash == '/';
            if (ok) {
                auto [last, error2] = std::from_chars(slash + 1, end, den);
                ok = error2 == std::errc{} && last == end;
            }
        }
        if (!ok || den <= 0) throw Misread{"'" + where + "' is not a fraction such as \"41/12\""};
        result = Rational(num, den).onGrid();
    } else {
        throw Misread{"'" + where + "' should be a fraction such as \"41/12\" but is " + kindOf(value)};
    }
    if (result < low || result > high)
        throw Misread{"'" + where + "' is " + result.text() + ", which is not within " + low.text() +
                      " and " + high.text()};
    return result;
}

}

double numberOf(const Json& value, const std::string& where, double low, double high) {
    if (!value.is_number()) throw Misread{"'" + where + "' should be a number but is " + kindOf(value)};
    const double number = value.get<double>();
    if (!std::isfinite(number)) throw Misread{"'" + where + "' is not a finite number"};
    if (number < low || number > high)
        throw Misread{"'" + where + "' is " + shortNumber(number) + ", which is not within " +
                      shortNumber(low) + " and " + shortNumber(high)};
    return number;
}

Json withRest(Json known, const Json& rest) {
    for (const auto& [key, value] : rest.items())
        if (!known.contains(key)) known[key] = value;
    return known;
}

Fields::Fields(const Json& object, std::string where) : m_object(object), m_where(std::move(where)) {
    if (!object.is_object())
        throw Misread{"'" + (m_where.empty() ? "the file" : m_where) + "' should be an object but is " +
                      kindOf(object)};
}

const Json* Fields::member(const char* key) {
    m_asked.insert(key);
    const auto found = m_object.find(key);
    return found == m_object.end() ? nullptr : &*found;
}

const Json& Fields::needed(const char* key) {
    if (const Json* value = member(key)) return *value;
    throw Misread{"'" + at(key) + "' is missing"};
}

bool Fields::has(const char* key) {
    return member(key) != nullptr;
}

double Fields::number(const char* key, double low, double high) {
    return numberOf(needed(key), at(key), low, high);
}
double Fields::number(const char* key, double low, double high, double fallback) {
    return has(key) ? number(key, low, high) : fallback;
}

std::int64_t Fields::whole(const char* key, std::int64_t low, std::int64_t high) {
    const Json& value = needed(key);
    const double number = numberOf(value, at(key), static_cast<double>(low), static_cast<double>(high));
    if (number != std::floor(number)) throw Misread{"'" + at(key) + "' should be a whole number"};
    return static_cast<std::int64_t>(number);
}
std::int64_t Fields::whole(const char* key, std::int64_t low, std::int64_t high, std::int64_t fallback) {
    return has(key) ? whole(key, low, high) : fallback;
}

bool Fields::yes(const char* key, bool fallback) {
    const Json* value = member(key);
    if (!value) return fallback;
    if (!value->is_boolean())
        throw Misread{"'" + at(key) + "' should be true or false but is " + kindOf(*value)};
    return value->get<bool>();
}

std::string Fields::text(const char* key, std::size_t maxBytes) {
    const Json& value = needed(key);
    if (!value.is_string()) throw Misread{"'" + at(key) + "' should be a text but is " + kindOf(value)};
    auto text = value.get<std::string>();
    if (text.size() > maxBytes)
        throw Misread{"'" + at(key) + "' is longer than " + std::to_string(maxBytes) + " bytes"};
    if (text.find('\0') != std::string::npos) throw Misread{"'" + at(key) + "' holds a zero character"};
    if (!isUtf8(text)) throw Misread{"'" + at(key) + "' is not well-formed UTF-8"};
    return text;
}
std::string Fields::text(const char* key, std::size_t maxBytes, std::string fallback) {
    return has(key) ? text(key, maxBytes) : fallback;
}

Rational Fields::rational(const char* key, Rational low, Rational high) {
    return rationalOf(needed(key), at(key), low, high);
}
Rational Fields::rational(const char* key, Rational low, Rational high, Rational fallback) {
    return has(key) ? rational(key, low, high) : fallback;
}

std::vector<double> Fields::numbers(const char* key, std::size_t count, double low, double high) {
    const Json& list = needed(key);
    if (!list.is_array() || list.size() != count)
        throw Misread{"'" + at(key) + "' should be a list of " + std::to_string(count) + " numbers"};
    std::vector<double> result;
    for (std::size_t i = 0; i < count; ++i)
        result.push_back(numberOf(list[i], at(key, i), low, high));
    return result;
}

V3d Fields::vector(const char* key, double bound) {
    const auto v = numbers(key, 3, -bound, bound);
    return {v[0], v[1], v[2]};
}

Colour Fields::colour(const char* key) {
    const auto v = numbers(key, 4, 0, 1e4);
    if (v[3] > 1) throw Misread{"'" + at(key) + "' has an alpha above 1"};
    return {v[0], v[1], v[2], v[3]};
}

const Json& Fields::array(const char* key, std::size_t most) {
    const Json& list = needed(key);
    if (!list.is_array()) throw Misread{"'" + at(key) + "' should be a list but is " + kindOf(list)};
    if (list.size() > most)
        throw Misread{"'" + at(key) + "' has " + std::to_string(list.size()) + " entries; at most " +
                      std::to_string(most) + " are possible"};
    return list;
}

const Json& Fields::object(const char* key) {
    const Json& value = needed(key);
    if (!value.is_object()) throw Misread{"'" + at(key) + "' should be an object but is " + kindOf(value)};
    return value;
}

const Json& Fields::value(const char* key) {
    return needed(key);
}

std::size_t Fields::choice(const char* key, std::span<const std::string_view> names) {
    const std::string name = text(key, 100);
    for (std::size_t i = 0; i < names.size(); ++i)
        if (names[i] == name) return i;
    std::string all;
    for (std::string_view each : names)
        all += (all.empty() ? "" : ", ") + std::string(each);
    throw Misread{"'" + at(key) + "' is '" + name + "'; possible are: " + all};
}

Json Fields::rest() const {
    Json rest = Json::object();
    for (const auto& [key, value] : m_object.items())
        if (!m_asked.contains(key)) rest[key] = value;
    return rest;
}

void Fields::nothingElse() const {
    for (const auto& [key, value] : m_object.items())
        if (!m_asked.contains(key)) throw Misread{m_where + " does not know '" + key + "'"};
}

std::string shown(const Json& value) {
    constexpr std::size_t most = 80;
    const std::string text = value.dump(-1, ' ', false, Json::error_handler_t::replace);
    return text.size() <= most ? text : asUtf8(text, most) + "...";
}

}
