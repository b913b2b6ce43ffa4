// Runs the jobs of a queue, each in a process of its own, so that one that ends by a crash takes nothing with
// it.
#pragma once

#include "output/queue.h"

#include <stop_token>

namespace stage::output {

/// Runs all that waits, one after the other, and comes back when nothing does. At most one runs a queue:
/// where another does, it comes back at once. Stopped: the job that runs is ended, and waits again with the
/// frames that are kept. program: open-stage-cli, called as `queue work ID` with the queue's folder. Errors:
/// the folder cannot be used.
Result<void> runQueue(const Queue& queue, const std::filesystem::path& program, const std::stop_token& stop);

/// Whether somebody runs it now.
bool isRun(const Queue& queue);

/// One job in this process, which tells how far it is.
Result<void> workOn(const Queue& queue, const std::string& id, const std::stop_token& stop);

}
