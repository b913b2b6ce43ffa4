// UTF-8 as scene files hold it. Thread-safe.
#pragma once

#include <cstddef>
#include <string>
#include <string_view>

namespace stage::scene {

/// Whether all of it is well-formed UTF-8 (RFC 3629).
bool isUtf8(std::string_view text);

/// At most so many bytes of it, cut between characters; what is not well-formed becomes U+FFFD.
std::string asUtf8(std::string_view text, std::size_t most);

}
