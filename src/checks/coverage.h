// Which parts of a frame nothing opaque fills: by the alpha of all layers together, through lens and
// exposure.
#pragma once

#include "checks/sight.h"
#include "media/pixel_cache.h"
#include "motion/frame.h"
#include "optics/region.h"

#include <bitset>
#include <functional>
#include <memory>
#include <set>
#include <unordered_map>
#include <vector>

namespace stage::checks {

/// A part of the frame that is not filled.
struct Hole {
    optics::FramePart part; ///< px of the frame that was looked at
    double open = 0;        ///< the mean share of light that comes through, 0..1
};

/// A border of a layer's own picture, opaque up to it, that is seen within the frame.
struct CutEdge {
    std::int64_t layer = 0;
    int side = 0;      ///< left, top, right, bottom
    double length = 0; ///< px of the frame that are seen of it
    double inside = 0; ///< px from there to the nearest side of the frame, at most
};

/// Of one scene. Reads pictures coarsely, of footage the first frame used for all of them, and keeps what it
/// has read. Not thread-safe.
class Coverage {
public:
    explicit Coverage(media::PixelCache& cache) : m_cache(cache) {}
    ~Coverage();
    Coverage(const Coverage&) = delete;
    Coverage& operator=(const Coverage&) = delete;

    /// Where light from behind all layers reaches the picture, in boxes that do not overlap. A box that one
    /// opaque layer fills, or that none reaches, is told without looking closer; others are divided until
    /// they are at most `finest` px wide and high. What is open at a corner of such a box counts, however
    /// little it is. What is mixed by Add fills nothing. A picture that cannot be read counts as opaque: that
    /// it is missing is told elsewhere. Error: stopped.
    Result<std::vector<Hole>> holes(const motion::Frame& frame, int finest, const std::stop_token& stop = {});

    /// Which of these layers are in the frame but hidden all over by opaque ones in front of them; of a place
    /// in a box of at most `finest` px its corners and middle are looked at. Error: stopped.
    Result<std::vector<std::int64_t>> hidden(const motion::Frame& frame, const std::set<std::int64_t>& layers,
                                             int finest, const std::stop_token& stop = {});

    /// Where pictures and footage end within the frame though they are opaque there. Not of those that are in
    /// it with all four borders: they are shown as cards. Error: stopped.
    Result<std::vector<CutEdge>> cutEdges(const motion::Frame& frame, const std::stop_token& stop = {});

    /// Whether a layer's picture is opaque all along the left, top, right and bottom edge, so that the layer
    /// may close a frame there.
    std::array<bool, 4> opaqueEdges(const motion::Item& item, const std::stop_token& stop = {});

private:
    struct Sheet;
    struct Looking;
    struct Rival;
    using Rivals = std::vector<Rival>;
    using Visit = std::function<void(const Sheet& sheet, const Rivals& rivals)>;
    static void withRivals(const std::vector<Sheet>& among, const Rivals& outside,
                           const std::function<bool(const Sheet&)>& wanted, const Visit& visit);
    void addCutEdges(const Looking& looking, const Sheet& sheet, const Rivals& rivals,
                     std::vector<CutEdge>& edges);
    /// Null: opaque all over, or not to be read.
    media::PyramidPtr pixelsOf(const motion::Pixels& pixels, const std::stop_token& stop);
    /// What pixelsOf gives, kept for the layer.
    media::PyramidPtr ofLayer(const motion::Pixels& pixels, const std::stop_token& stop);
    bool opaqueClip(const motion::Pixels& pixels);
    media::PyramidPtr read(const media::PixelSourcePtr& source, const std::stop_token& stop);
    struct Borders {
        static constexpr std::size_t along = 48; ///< places along each
        bool known = false;
        std::array<std::bitset<along>, 4> opaque; ///< left, top, right, bottom
    };
    const Borders& bordersOf(const Sheet& sheet);
    static bool reaches(const Looking& looking, const Sheet& sheet, const std::vector<Rival>& rivals, V2i low,
                        V2i high, double through = 1);
    std::vector<Sheet> sheetsOf(const std::vector<motion::Item>& items, const Moments& moments,
                                const std::stop_token& stop);

    media::PixelCache& m_cache;
    std::unordered_map<std::string, media::PyramidPtr> m_read; ///< by the key of the source
    /// By layer, with the cut-out that it was read with: what a layer shows stays over a scene.
    std::unordered_map<std::int64_t, std::pair<scene::CutoutPtr, media::PyramidPtr>> m_ofLayer;
    std::unordered_map<std::int64_t, std::pair<const media::TiledLevel*, Borders>> m_borders; ///< by layer
    std::unordered_map<std::string, bool> m_opaqueClips;                                      ///< by path
};

}
