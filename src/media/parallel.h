// Work spread over the machine's cores.
#pragma once

#include <oneapi/tbb/parallel_for.h>
#include <oneapi/tbb/task_arena.h>
#include <utility>

#ifdef __SANITIZE_THREAD__
#include <atomic>
#include <exception>
#include <thread>
#include <vector>
#endif

namespace stage::media {

/// How many may work at once here.
inline int cores() {
    return oneapi::tbb::this_task_arena::max_concurrency();
}

/// body(i) for every begin <= i < end, in any order and on any thread, and back when all are done. What was
/// written before is seen by each, and what each wrote is seen after; the first exception goes on to the
/// caller. Under the thread sanitizer on threads of our own, because it does not see into the scheduler's
/// library and would not know the above.
template <class Index, class Body> void inParallel(Index begin, Index end, const Body& body) {
#ifdef __SANITIZE_THREAD__
    std::atomic<Index> next = begin;
    std::atomic<bool> failed = false;
    std::exception_ptr problem;
    const auto work = [&] {
        try {
            for (Index i; (i = next++) < end;)
                body(i);
        } catch (...) {
            if (!failed.exchange(true)) problem = std::current_exception();
        }
    };
    {
        std::vector<std::jthread> helpers;
        for (Index i = begin; ++i < end && helpers.size() < 3;)
            helpers.emplace_back(work);
        work();
    }
    if (problem) std::rethrow_exception(problem);
#else
    oneapi::tbb::parallel_for(begin, end, body);
#endif
}

/// While something is marked as being made, its maker must not take up unrelated work that could wait for
/// that very thing: what the work waits for is done by its own.
template <class Work> auto alone(Work&& work) {
    return oneapi::tbb::this_task_arena::isolate(std::forward<Work>(work));
}

}
