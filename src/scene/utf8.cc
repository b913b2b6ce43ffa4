#include "scene/utf8.h"

#include <cstdint>

namespace stage::scene {
namespace {

/// Bytes of the character that begins the text; 0: it is malformed.
std::size_t lengthOfFirst(std::string_view text) {
    const auto byte = [&](std::size_t i) { return static_cast<unsigned char>(text[i]); };
    const unsigned char first = byte(0);
    if (first < 0x80) return 1;
    const std::size_t length = first >= 0xF0 ? 4 : first >= 0xE0 ? 3 : 2;
    if (first < 0xC2 || first > 0xF4 || text.size() < length) return 0;
    std::uint32_t code = first & (0x7F >> length);
    for (std::size_t i = 1; i < length; ++i) {
        if ((byte(i) & 0xC0) != 0x80) return 0;
        code = code << 6 | (byte(i) & 0x3F);
    }
    const bool overlong = (length == 3 && code < 0x800) || (length == 4 && code < 0x10000);
    const bool surrogate = code >= 0xD800 && code <= 0xDFFF;
    return overlong || surrogate || code > 0x10FFFF ? 0 : length;
}

}

bool isUtf8(std::string_view text) {
    while (!text.empty()) {
        const std::size_t length = lengthOfFirst(text);
        if (length == 0) return false;
        text.remove_prefix(length);
    }
    return true;
}

std::string asUtf8(std::string_view text, std::size_t most) {
    std::string out;
    while (!text.empty()) {
        const std::size_t length = lengthOfFirst(text);
        const std::string_view next = length ? text.substr(0, length) : std::string_view("\xEF\xBF\xBD");
        if (out.size() + next.size() > most) break;
        out += next;
        text.remove_prefix(length ? length : 1);
    }
    return out;
}

}
