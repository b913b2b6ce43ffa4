#include "scene/timing.h"

namespace stage {
namespace {

std::atomic<bool> on = false;
std::array<std::atomic<std::int64_t>, stageNames.size()> sums;
thread_local Timed* current = nullptr;

}

void measureTimes(bool measure) {
    on.store(measure, std::memory_order_relaxed);
}

StageTimes timesMeasured() {
    StageTimes times;
    for (std::size_t i = 0; i < times.size(); ++i)
        times[i] = std::chrono::nanoseconds(sums[i].load(std::memory_order_relaxed));
    return times;
}

Timed::Timed(Stage stage) : m_stage(stage), m_on(on.load(std::memory_order_relaxed)) {
    if (!m_on) return;
    m_outer = current;
    current = this;
    m_begin = Clock::now();
}

Timed::~Timed() {
    if (!m_on) return;
    const auto all = Clock::now() - m_begin;
    sums[static_cast<std::size_t>(m_stage)].fetch_add(
        std::chrono::duration_cast<std::chrono::nanoseconds>(all - m_inner).count(),
        std::memory_order_relaxed);
    if (m_outer) m_outer->m_inner += all;
    current = m_outer;
}

}
