#include "render/light_alone.h"

#include "media/pixel_cache.h"

namespace stage::render {
namespace {

class LightSource : public media::PixelSource {
public:
    explicit LightSource(media::PixelSourcePtr whole)
        : PixelSource("light of " + whole->key(), whole->size(), Granularity::EveryLevel,
                      whole->seriesOf("light")),
          m_whole(std::move(whole)) {}

    Result<media::Raster> compute(int level, const media::Box& box, media::PixelCache& cache,
                                  const Progress& progress) const override {
        auto texels = cache.read(m_whole, level, box, progress);
        if (texels)
            for (std::size_t i = 3; i < texels->rgba.size(); i += 4)
                texels->rgba[i] = 0.f;
        return texels;
    }
    std::string name() const override { return m_whole->name(); }

private:
    media::PixelSourcePtr m_whole;
};

}

media::PixelSourcePtr lightAlone(media::PixelSourcePtr source) {
    return source ? std::make_shared<LightSource>(std::move(source)) : nullptr;
}

}
