#include "yardsticks.h"

#include "cutout/source.h"
#include "render/plane.h"

#include <OpenImageIO/imageio.h>
#include <algorithm>
#include <cmath>
#include <cstring>
#include <epoxy/egl.h>
#include <epoxy/gl.h>
#include <opencv2/core.hpp>
#include <opencv2/imgproc.hpp>
#include <stdexcept>

namespace stage::bench {
namespace {

media::Raster baseOf(const motion::Item& item, media::PixelCache& cache) {
    const auto source = cutout::sourceOf(*item.pixels);
    auto raster = cache.read(source, 0, media::boxOf(source->size()));
    if (!raster) throw std::runtime_error(raster.error().sentence);
    return *raster;
}

void write8(const std::string& path, int width, int height, const std::uint8_t* rgba) {
    const auto out = OIIO::ImageOutput::create(path);
    out->open(path, OIIO::ImageSpec(width, height, 4, OIIO::TypeDesc::UINT8));
    out->write_image(OIIO::TypeDesc::UINT8, rgba);
    out->close();
}

std::uint8_t eight(float linear) {
    const float c = std::clamp(linear, 0.f, 1.f);
    return static_cast<std::uint8_t>(
        std::lround(255 * (c <= 0.0031308f ? 12.92f * c : 1.055f * std::pow(c, 1 / 2.4f) - 0.055f)));
}

/// From middles of pixels of the frame to middles of texels.
cv::Matx33d toTexels(const render::Plane& plane) {
    const render::Projective& p = plane.pinhole;
    const auto middle = [](const render::Linear& l) { return l.a + (l.b + l.c) / 2; };
    return {p.u.b - p.w.b / 2,
            p.u.c - p.w.c / 2,
            middle(p.u) - middle(p.w) / 2,
            p.v.b - p.w.b / 2,
            p.v.c - p.w.c / 2,
            middle(p.v) - middle(p.w) / 2,
            p.w.b,
            p.w.c,
            middle(p.w)};
}

}

// ---- OpenCV

struct WarpYardstick::Own {
    struct Layer {
        cv::Mat picture; ///< premultiplied
        cv::Matx33d toTexels;
        cv::Rect box;
        double opacity;
    };
    std::vector<Layer> layers;
    cv::Mat target, warped;
};

WarpYardstick::WarpYardstick(const motion::Frame& frame, media::PixelCache& cache)
    : m_own(std::make_unique<Own>()) {
    for (const motion::Item& item : frame.items) {
        const media::Raster base = baseOf(item, cache);
        Own::Layer layer;
        layer.picture.create(base.size.y, base.size.x, CV_8UC4);
        for (int y = 0; y < base.size.y; ++y)
            for (int x = 0; x < base.size.x; ++x)
                for (int c = 0; c < 4; ++c)
                    layer.picture.ptr(y)[4 * x + c] = eight(base.row(y)[4 * x + c]);
        layer.toTexels = toTexels(render::planeOf(item.card, frame.view, base.size));
        double x0 = 1e9, y0 = 1e9, x1 = 0, y1 = 0;
        for (const V3d& corner : item.card.outline()) {
            const auto at = optics::project(frame.view, corner);
            if (!at) continue;
            x0 = std::min(x0, at->x), x1 = std::max(x1, at->x), y0 = std::min(y0, at->y),
            y1 = std::max(y1, at->y);
        }
        layer.box = cv::Rect(cv::Point(static_cast<int>(std::floor(x0)), static_cast<int>(std::floor(y0))),
                             cv::Point(static_cast<int>(std::ceil(x1)), static_cast<int>(std::ceil(y1)))) &
                    cv::Rect(0, 0, frame.size.x, frame.size.y);
        layer.toTexels = layer.toTexels * cv::Matx33d(1, 0, layer.box.x, 0, 1, layer.box.y, 0, 0, 1);
        layer.opacity = item.opacity;
        if (!layer.box.empty()) m_own->layers.push_back(layer);
    }
    m_own->target.create(frame.size.y, frame.size.x, CV_8UC4);
}

WarpYardstick::~WarpYardstick() = default;

void WarpYardstick::draw() {
    Own& own = *m_own;
    own.target.setTo(cv::Scalar(0, 0, 0, 255));
    for (const Own::Layer& layer : own.layers) {
        cv::warpPerspective(layer.picture, own.warped, layer.toTexels, layer.box.size(),
                            cv::INTER_LINEAR | cv::WARP_INVERSE_MAP, cv::BORDER_CONSTANT);
        cv::Mat under = own.target(layer.box);
        const int opacity = static_cast<int>(std::lround(layer.opacity * 256));
        cv::parallel_for_(cv::Range(0, layer.box.height), [&](const cv::Range& rows) {
            for (int y = rows.start; y < rows.end; ++y) {
                const std::uint8_t* __restrict s = own.warped.ptr(y);
                std::uint8_t* __restrict d = under.ptr(y);
                if (opacity == 256)
                    for (int x = 0; x < layer.box.width; ++x) {
                        const int through = 255 - s[4 * x + 3];
                        for (int c = 0; c < 4; ++c)
                            d[4 * x + c] = static_cast<std::uint8_t>(
                                s[4 * x + c] + (d[4 * x + c] * through * 257 + 32768) / 65536);
                    }
                else
                    for (int x = 0; x < layer.box.width; ++x) {
                        const int through = 255 * 256 - s[4 * x + 3] * opacity;
                        for (int c = 0; c < 4; ++c)
                            d[4 * x + c] = static_cast<std::uint8_t>(
                                (s[4 * x + c] * opacity * 255 + d[4 * x + c] * through) / 65280);
                    }
            }
        });
    }
}

void WarpYardstick::save(const std::string& path) const {
    write8(path, m_own->target.cols, m_own->target.rows, m_own->target.ptr());
}

// ---- OpenCV, out of focus

struct DiscYardstick::Own {
    struct Layer {
        cv::Mat picture; ///< premultiplied, float, warped into the frame
        cv::Mat disc;    ///< empty: sharp
    };
    std::vector<Layer> layers;
    cv::Mat target, blurred;
};

DiscYardstick::DiscYardstick(const motion::Frame& frame, media::PixelCache& cache)
    : m_own(std::make_unique<Own>()) {
    for (const motion::Item& item : frame.items) {
        const media::Raster base = baseOf(item, cache);
        cv::Mat picture(base.size.y, base.size.x, CV_32FC4);
        for (int y = 0; y < base.size.y; ++y)
            for (int x = 0; x < 4 * base.size.x; ++x)
                picture.ptr<float>(y)[x] = base.row(y)[x];
        const render::Plane plane = render::planeOf(item.card, frame.view, base.size);
        Own::Layer layer;
        cv::warpPerspective(picture, layer.picture, toTexels(plane), {frame.size.x, frame.size.y},
                            cv::INTER_LINEAR | cv::WARP_INVERSE_MAP, cv::BORDER_CONSTANT);
        const double radius = render::discAt(plane, frame.size.x / 2.0, frame.size.y / 2.0) / 2;
        if (radius > 0.5) {
            const int reach = static_cast<int>(std::ceil(radius));
            layer.disc.create(2 * reach + 1, 2 * reach + 1, CV_32F);
            for (int y = -reach; y <= reach; ++y)
                for (int x = -reach; x <= reach; ++x)
                    layer.disc.at<float>(y + reach, x + reach) = std::hypot(x, y) <= radius ? 1.f : 0.f;
            layer.disc /= cv::sum(layer.disc)[0];
        }
        m_own->layers.push_back(std::move(layer));
    }
    m_own->target.create(frame.size.y, frame.size.x, CV_32FC4);
}

DiscYardstick::~DiscYardstick() = default;

/// The warp is left out: it is a small part.
void DiscYardstick::draw() {
    Own& own = *m_own;
    own.target.setTo(cv::Scalar(0, 0, 0, 1));
    for (const Own::Layer& layer : own.layers) {
        if (layer.disc.empty())
            own.blurred = layer.picture;
        else
            cv::filter2D(layer.picture, own.blurred, -1, layer.disc, {-1, -1}, 0, cv::BORDER_CONSTANT);
        cv::parallel_for_(cv::Range(0, own.target.rows), [&](const cv::Range& rows) {
            for (int y = rows.start; y < rows.end; ++y) {
                const float* s = own.blurred.ptr<float>(y);
                float* d = own.target.ptr<float>(y);
                for (int x = 0; x < own.target.cols; ++x, s += 4, d += 4)
                    for (int c = 0; c < 4; ++c)
                        d[c] = s[c] + d[c] * (1 - s[3]);
            }
        });
    }
}

// ---- OpenGL

struct GlYardstick::Own {
    EGLDisplay display = EGL_NO_DISPLAY;
    EGLContext context = EGL_NO_CONTEXT;
    std::string renderer;
    V2i size{0, 0};
    GLuint program = 0, target = 0, frame = 0, vertices = 0;
    GLint opacity = -1;
    struct Layer {
        GLuint texture;
        float corners[4][6]; ///< clip x y z w, u v
        float opacity;
    };
    std::vector<Layer> layers;
};

GlYardstick::GlYardstick(const motion::Frame& frame, media::PixelCache& cache)
    : m_own(std::make_unique<Own>()) {
    Own& own = *m_own;
    own.size = frame.size;
    own.display = eglGetPlatformDisplayEXT(EGL_PLATFORM_SURFACELESS_MESA, nullptr, nullptr);
    if (own.display == EGL_NO_DISPLAY || !eglInitialize(own.display, nullptr, nullptr)) return;
    eglBindAPI(EGL_OPENGL_API);
    const EGLint attributes[] = {EGL_CONTEXT_MAJOR_VERSION, 3, EGL_CONTEXT_MINOR_VERSION, 3, EGL_NONE};
    own.context = eglCreateContext(own.display, EGL_NO_CONFIG_KHR, EGL_NO_CONTEXT, attributes);
    if (own.context == EGL_NO_CONTEXT ||
        !eglMakeCurrent(own.display, EGL_NO_SURFACE, EGL_NO_SURFACE, own.context))
        return;
    own.renderer = reinterpret_cast<const char*>(glGetString(GL_RENDERER));

    const char* vertexText = "#version 330\nlayout(location=0) in vec4 p; layout(location=1) in vec2 t; out "
                             "vec2 uv; void main(){gl_Position=p; uv=t;}";
    const char* pixelText = "#version 330\nuniform sampler2D s; uniform float o; in vec2 uv; out vec4 c; "
                            "void main(){c=texture(s,uv)*o;}";
    const auto shader = [](GLenum kind, const char* text) {
        const GLuint id = glCreateShader(kind);
        glShaderSource(id, 1, &text, nullptr);
        glCompileShader(id);
        return id;
    };
    own.program = glCreateProgram();
    glAttachShader(own.program, shader(GL_VERTEX_SHADER, vertexText));
    glAttachShader(own.program, shader(GL_FRAGMENT_SHADER, pixelText));
    glLinkProgram(own.program);
    own.opacity = glGetUniformLocation(own.program, "o");
    GLuint array = 0;
    glGenVertexArrays(1, &array);
    glBindVertexArray(array);
    glGenBuffers(1, &own.vertices);
    glBindBuffer(GL_ARRAY_BUFFER, own.vertices);
    glEnableVertexAttribArray(0);
    glEnableVertexAttribArray(1);
    glVertexAttribPointer(0, 4, GL_FLOAT, GL_FALSE, 24, nullptr);
    glVertexAttribPointer(1, 2, GL_FLOAT, GL_FALSE, 24, reinterpret_cast<void*>(16));
    glGenTextures(1, &own.target);
    glBindTexture(GL_TEXTURE_2D, own.target);
    glTexImage2D(GL_TEXTURE_2D, 0, GL_RGBA16F, frame.size.x, frame.size.y, 0, GL_RGBA, GL_HALF_FLOAT,
                 nullptr);
    glGenFramebuffers(1, &own.frame);
    glBindFramebuffer(GL_FRAMEBUFFER, own.frame);
    glFramebufferTexture2D(GL_FRAMEBUFFER, GL_COLOR_ATTACHMENT0, GL_TEXTURE_2D, own.target, 0);
    for (const motion::Item& item : frame.items) {
        const media::Raster base = baseOf(item, cache);
        Own::Layer layer{};
        layer.opacity = static_cast<float>(item.opacity);
        glGenTextures(1, &layer.texture);
        glBindTexture(GL_TEXTURE_2D, layer.texture);
        glTexImage2D(GL_TEXTURE_2D, 0, GL_RGBA16F, base.size.x, base.size.y, 0, GL_RGBA, GL_HALF_FLOAT,
                     base.rgba.data());
        glGenerateMipmap(GL_TEXTURE_2D);
        glTexParameteri(GL_TEXTURE_2D, GL_TEXTURE_MIN_FILTER, GL_LINEAR_MIPMAP_LINEAR);
        glTexParameteri(GL_TEXTURE_2D, GL_TEXTURE_MAG_FILTER, GL_LINEAR);
        glTexParameteri(GL_TEXTURE_2D, GL_TEXTURE_WRAP_S, GL_CLAMP_TO_EDGE);
        glTexParameteri(GL_TEXTURE_2D, GL_TEXTURE_WRAP_T, GL_CLAMP_TO_EDGE);
        for (int i = 0; i < 4; ++i) {
            const double s = i % 2, t = i / 2;
            const V3d from = item.card.corner + item.card.across * s + item.card.down * t - frame.view.eye;
            const double depth = from.dot(frame.view.forward);
            const double x = 2 * frame.view.slope / frame.size.x * from.dot(frame.view.right);
            const double y =
                -2 * frame.view.slope / frame.size.y * from.dot(frame.view.up); // rows from the top
            const float corner[6] = {static_cast<float>(x),     static_cast<float>(y), 0,
                                     static_cast<float>(depth), static_cast<float>(s), static_cast<float>(t)};
            std::memcpy(layer.corners[i], corner, sizeof corner);
        }
        own.layers.push_back(layer);
    }
    glFinish();
}

GlYardstick::~GlYardstick() {
    if (m_own->display == EGL_NO_DISPLAY) return;
    eglMakeCurrent(m_own->display, EGL_NO_SURFACE, EGL_NO_SURFACE, EGL_NO_CONTEXT);
    if (m_own->context != EGL_NO_CONTEXT) eglDestroyContext(m_own->display, m_own->context);
    eglTerminate(m_own->display);
}

std::string GlYardstick::renderer() const {
    return m_own->renderer;
}

void GlYardstick::draw() {
    const Own& own = *m_own;
    glBindFramebuffer(GL_FRAMEBUFFER, own.frame);
    glViewport(0, 0, own.size.x, own.size.y);
    glClearColor(0, 0, 0, 1);
    glClear(GL_COLOR_BUFFER_BIT);
    glUseProgram(own.program);
    glEnable(GL_BLEND);
    glBlendFunc(GL_ONE, GL_ONE_MINUS_SRC_ALPHA);
    for (const Own::Layer& layer : own.layers) {
        glBindTexture(GL_TEXTURE_2D, layer.texture);
        glUniform1f(own.opacity, layer.opacity);
        glBufferData(GL_ARRAY_BUFFER, sizeof layer.corners, layer.corners, GL_STREAM_DRAW);
        glDrawArrays(GL_TRIANGLE_STRIP, 0, 4);
    }
    glFinish();
}

void GlYardstick::save(const std::string& path) const {
    std::vector<float> rgba(static_cast<std::size_t>(m_own->size.x) *
                            static_cast<std::size_t>(m_own->size.y) * 4);
    glReadPixels(0, 0, m_own->size.x, m_own->size.y, GL_RGBA, GL_FLOAT, rgba.data());
    std::vector<std::uint8_t> bytes(rgba.size());
    for (std::size_t i = 0; i < rgba.size(); ++i)
        bytes[i] = i % 4 == 3 ? static_cast<std::uint8_t>(std::lround(255 * std::clamp(rgba[i], 0.f, 1.f)))
                              : eight(rgba[i]);
    write8(path, m_own->size.x, m_own->size.y, bytes.data());
}

}
