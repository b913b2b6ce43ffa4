// Small pictures and colours that stand for layers.
#pragma once

#include "media/pixel_cache.h"
#include "scene/scene.h"

#include <QColor>
#include <QImage>
#include <QObject>
#include <memory>
#include <unordered_map>
#include <unordered_set>

namespace stage::desk {

/// Made once from what a layer shows at time 0, off the interface thread, and kept. Interface thread; never
/// waits.
class Swatches : public QObject {
    Q_OBJECT
public:
    explicit Swatches(std::shared_ptr<media::PixelCache> cache, QObject* parent = nullptr);

    struct Swatch {
        QImage picture; ///< at most 64 px, over nothing; null while not loaded and for groups
        QColor colour{0x7C, 0x78, 0x70}; ///< its mean; a neutral one while not loaded and for groups
        QImage cover; ///< its alpha, at most 256 px, to tell what a click meets; null while not loaded
    };
    Swatch of(const scene::Scene& scene, const scene::LayerPtr& layer);
    /// Files have changed: what is shown is made anew when it is next asked for.
    void forget();
    /// Whether the layer shows something at a share of its width and height; beyond its edges what it goes on
    /// with. True while that is not known.
    bool covers(const scene::Scene& scene, const scene::LayerPtr& layer, double s, double t);

Q_SIGNALS:
    void loaded();

private:
    std::shared_ptr<media::PixelCache> m_cache;
    std::unordered_map<std::string, Swatch> m_kept;  ///< by what the layer shows, not by where it hangs
    std::unordered_map<std::int64_t, Swatch> m_last; ///< of each layer, shown until the new one is there
    std::unordered_set<std::string> m_loading;
};

}
