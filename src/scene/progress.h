// How long work reports and is stopped.
#pragma once

#include <functional>
#include <stop_token>

namespace stage {

struct Progress {
    std::function<void(double)> report; ///< share done, 0..1; called from the working thread; may be empty
    std::stop_token stop;               ///< asked often; work then returns cancelled()

    /// share: 0..1 of all of the work.
    void done(double share) const {
        if (report) report(share);
    }
    /// Work should end as soon as it can, with cancelled().
    bool stopped() const { return stop.stop_requested(); }
};

}
