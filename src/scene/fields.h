// Reading JSON with a memory of where one is, so that an error can say what and where.
// Used inside .cc files only: it throws Misread, which the public function that started reading turns
// into an Error.
#pragma once

#include "scene/error.h"
#include "scene/scene.h"

#include <set>
#include <span>

namespace stage::scene {

struct Misread {
    std::string sentence;
};

/// A JSON value as it may stand in a sentence: its begin, whatever its text holds.
std::string shown(const Json& value);

/// Known members first, then what came from elsewhere.
Json withRest(Json known, const Json& rest);

/// One JSON object being read. Members asked for are noted; rest() gives the others.
class Fields {
public:
    /// where: a path such as `layers[3].position`, or a name such as `push`; used in errors.
    Fields(const Json& object, std::string where);

    /// Whether there is such a member; it counts as asked for.
    bool has(const char* key);
    /// Finite, within low..high. Each of these throws where the member is missing, of another kind or out of
    /// range; with a fallback it may be missing.
    double number(const char* key, double low, double high);
    double number(const char* key, double low, double high, double fallback);
    /// A whole number.
    std::int64_t whole(const char* key, std::int64_t low, std::int64_t high);
    std::int64_t whole(const char* key, std::int64_t low, std::int64_t high, std::int64_t fallback);
    /// true or false.
    bool yes(const char* key, bool fallback);
    /// Valid UTF-8.
    std::string text(const char* key, std::size_t maxBytes);
    std::string text(const char* key, std::size_t maxBytes, std::string fallback);
    /// A rational written "24000/1001" or as a whole number; finer than a millionth: rounded to one.
    Rational rational(const char* key, Rational low, Rational high);
    Rational rational(const char* key, Rational low, Rational high, Rational fallback);
    /// count finite numbers within low..high.
    std::vector<double> numbers(const char* key, std::size_t count, double low, double high);
    /// Three numbers within -bound..bound.
    V3d vector(const char* key, double bound);
    /// Four numbers: linear Rec. 709, premultiplied.
    Colour colour(const char* key);
    /// A JSON array with at most `most` elements.
    const Json& array(const char* key, std::size_t most);
    /// A JSON object.
    const Json& object(const char* key);
    /// Whatever it is.
    const Json& value(const char* key);
    /// One of the names; gives its index.
    std::size_t choice(const char* key, std::span<const std::string_view> names);

    /// As given.
    const std::string& where() const { return m_where; }
    /// The path of a member, for errors.
    std::string at(const char* key) const { return m_where.empty() ? key : m_where + "." + key; }
    std::string at(const char* key, std::size_t index) const {
        return at(key) + "[" + std::to_string(index) + "]";
    }
    /// Members that were not asked for.
    Json rest() const;
    /// Throws when a member was not asked for.
    void nothingElse() const;

private:
    const Json* member(const char* key);
    const Json& needed(const char* key);

    const Json& m_object;
    std::string m_where;
    std::set<std::string> m_asked;
};

/// A JSON value as a finite number within low..high; else throws Misread.
double numberOf(const Json& value, const std::string& where, double low, double high);

}
