// Value-or-error for the whole program. What can fail returns Result<T>. Exceptions are used inside only:
// readers of JSON throw Misread (scene/fields.h), and libraries may throw; the public function that began the
// work makes an Error of either, so that none leaves `edit::apply`, `scene::load`, a render or a job.
#pragma once

#include <exception>
#include <new>
#include <string>
#include <tl/expected.hpp>
#include <type_traits>
#include <utility>

namespace stage {

/// What went wrong, as a sentence a user can act on: it names the file or field and what to do.
struct Error {
    std::string sentence;
    bool cancelled = false; ///< the user asked to stop; not to be shown as a failure
};

template <class T> using Result = tl::expected<T, Error>;

/// A whole sentence for the user.
inline tl::unexpected<Error> fail(std::string sentence) {
    return tl::unexpected<Error>(Error{std::move(sentence), false});
}

/// The user stopped it.
inline tl::unexpected<Error> cancelled() {
    return tl::unexpected<Error>(Error{"Cancelled.", true});
}

/// work(), which gives a Result, or a sentence for what a library throws meanwhile. Stands at every border:
/// edits, files, renders, jobs on other threads.
template <class Work> std::invoke_result_t<Work> guarded(Work&& work) {
    try {
        return std::forward<Work>(work)();
    } catch (const std::bad_alloc&) {
        return fail("There is not enough memory for this.");
    } catch (const std::exception& problem) {
        return fail(std::string("This cannot be done: ") + problem.what() + ".");
    }
}

}
