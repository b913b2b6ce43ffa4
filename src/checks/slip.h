// How far the feet of layers slip against what they stand on, and what mends it. Thread-safe.
#pragma once

#include "checks/finding.h"
#include "media/pixel_cache.h"

#include <map>
#include <optional>
#include <stop_token>

namespace stage::checks {

/// A foot's path against that of the ground under it: the point that is met there by the ray through the foot
/// as the first mark sees it. px of the scene's frame.
struct Slip {
    struct Place {
        std::optional<V2d> foot, ground; ///< nothing: behind the camera
        /// Where the foot is in the frame and both are known; else nothing.
        std::optional<double> apart;
    };
    bool grounded = false;     ///< the first mark sees ground under the foot; else all that follows is empty
    std::vector<Place> places; ///< of every frame of the scene, of one longer than 20 000 of every m-th
    std::int64_t step = 1;     ///< that m
    double most = 0;           ///< the most that they are apart
    std::int64_t worst = 0;    ///< the frame where they are
    V2d foot{0};               ///< share of its picture
    V3d footPlace{0}, groundPlace{0}; ///< in the world, at the first mark, metres
};

/// Of those of these layers that stand on something; of all where none is named. Error: stopped.
Result<std::map<std::int64_t, Slip>> slipsOf(const scene::Scene& scene, media::PixelCache& cache,
                                             const std::stop_token& stop = {},
                                             const std::vector<std::int64_t>& layers = {});

/// The factor by which a layer that does not move is to be pushed about the first mark's eye, its framing
/// held, for its foot to slip by so many px: of all, the nearest to 1. Nothing where none does, or where it
/// moves by itself.
std::optional<double> pushForSlip(const scene::Scene& scene, std::int64_t layer, const Slip& slip,
                                  double wished);

/// By scene.limits. Error: stopped.
Result<std::vector<Finding>> slipFindings(const scene::Scene& scene, media::PixelCache& cache,
                                          const std::stop_token& stop = {});

}
