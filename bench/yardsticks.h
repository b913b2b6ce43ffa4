// The same pictures by what is commonly at hand, to measure ours against.
#pragma once

#include "media/pixel_cache.h"
#include "motion/frame.h"

#include <memory>
#include <string>

namespace stage::bench {

/// OpenCV: each layer warped (8 bits, bilinear) into its own bounding box, then laid over what is below.
class WarpYardstick {
public:
    WarpYardstick(const motion::Frame& frame, media::PixelCache& cache);
    ~WarpYardstick();
    void draw();
    void save(const std::string& path) const;

private:
    struct Own;
    std::unique_ptr<Own> m_own;
};

/// OpenCV: each layer warped as above, blurred by the disc that the lens makes of its middle (filter2D, which
/// takes the Fourier transform for large ones), then laid over what is below.
class DiscYardstick {
public:
    DiscYardstick(const motion::Frame& frame, media::PixelCache& cache);
    ~DiscYardstick();
    void draw();

private:
    struct Own;
    std::unique_ptr<Own> m_own;
};

/// OpenGL by software (Mesa's llvmpipe): half-float textures, trilinear, blended quads into a half-float
/// target.
class GlYardstick {
public:
    GlYardstick(const motion::Frame& frame, media::PixelCache& cache);
    ~GlYardstick();
    void draw();                  ///< and waits until it is done
    std::string renderer() const; ///< empty: there is none here
    void save(const std::string& path) const;

private:
    struct Own;
    std::unique_ptr<Own> m_own;
};

}
