// open-stage-cli: every capability without a window.
#pragma once

#include <iosfwd>

namespace stage::cli {

/// Exit codes, as `--help` documents them.
enum Exit {
    Done = 0,
    Found = 1, ///< a check that was asked to be strict found something
    BadUsage = 2,
    CannotRead = 3,
    EditRefused = 4,
    CannotWrite = 5,
    Failed = 6,
    Stopped = 130
};

/// Results go to `out`, errors and progress to `err`. Signals that ask it to end stop a render in order.
int run(int argc, const char* const* argv, std::ostream& out, std::ostream& err);

}
