// open-stage-cli: every capability without a window.
#pragma once

#include <iosfwd>

namespace stage::cli {

/// Exit codes, as `--help` documents them.
enum Exit { Done = 0, BadUsage = 2, CannotRead = 3, EditRefused = 4, CannotWrite = 5, Stopped = 130 };

/// Results go to `out`, errors and progress to `err`. Handles SIGINT while rendering.
int run(int argc, const char* const* argv, std::ostream& out, std::ostream& err);

}
