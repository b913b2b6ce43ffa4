#include "checks/check.h"

#include "checks/gaps.h"

#include <algorithm>

namespace stage::checks {

Result<Report> check(const scene::Scene& scene, media::PixelCache& cache, const std::stop_token& stop) {
    auto report = choreography(scene, stop);
    if (!report) return report;
    auto gaps = gapFindings(scene, cache, stop);
    if (!gaps) return tl::unexpected(gaps.error());
    auto& all = report->findings;
    std::move(gaps->begin(), gaps->end(), std::back_inserter(all));
    std::stable_sort(all.begin(), all.end(),
                     [](const Finding& a, const Finding& b) { return a.from < b.from; });
    return report;
}

}
