// What the lens needs of a layer over the whole move, so that the frame is filled. From the scene alone:
// which layers are meant to fill the frame, and are opaque up to their edges, is for the caller to say.
// Metres, seconds; shares of pictures. Thread-safe.
#pragma once

#include "motion/camera_move.h"
#include "optics/region.h"
#include "scene/error.h"
#include "scene/scene.h"

#include <array>
#include <stop_token>
#include <vector>

namespace stage::checks {

/// A layer over all of the frames in which it shows, and all of their exposure.
struct Cover {
    std::int64_t layer = 0;
    optics::Region
        needed;          ///< what all rays of all frames meet, in shares of its picture; nothing: never shown
    optics::Region held; ///< what it has, with what it goes on by
    /// Of the left, top, right and bottom: by how many shares it falls short, and when that is worst.
    struct Side {
        double shares = 0;
        double seconds = 0;
    };
    std::array<Side, 4> sides{};
    /// The least factor by which it must grow about its pivot: 1 where it covers; infinite where none does.
    double growth = 1;
    double seconds = 0; ///< when that much is needed

    bool covers() const { return growth <= 1; }
};

/// In the order of the ids, without those that are not there, and without groups. Every frame is looked at
/// when its exposure begins, ends, and in between, and then more closely around the worst moment. Errors:
/// stopped.
Result<std::vector<Cover>> cover(const scene::Scene& scene, const std::vector<std::int64_t>& layers,
                                 const std::stop_token& stop = {});

}
