// Value-or-error for the whole program. Every fallible function returns Result<T>; nothing throws across
// a module's border.
#pragma once

#include <string>
#include <tl/expected.hpp>

namespace stage {

/// What went wrong, as a sentence a user can act on: it names the file or field and what to do.
struct Error {
    std::string sentence;
    bool cancelled = false; ///< the user asked to stop; not to be shown as a failure
};

template <class T> using Result = tl::expected<T, Error>;

inline tl::unexpected<Error> fail(std::string sentence) {
    return tl::unexpected<Error>(Error{std::move(sentence), false});
}

inline tl::unexpected<Error> cancelled() {
    return tl::unexpected<Error>(Error{"Cancelled.", true});
}

}
