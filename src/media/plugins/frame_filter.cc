#include "media/frame_filter.h"

extern "C" {
#include <libavfilter/avfilter.h>
#include <libavfilter/buffersink.h>
#include <libavfilter/buffersrc.h>
}

namespace stage::media {
namespace {

class Graph : public FrameFilter {
public:
    bool open(const char* name, const char* options, const std::vector<Input>& inputs) {
        m_graph.reset(avfilter_graph_alloc());
        if (!m_graph) return false;
        m_graph->nb_threads = 1;
        AVFilterContext* const filter = add(name, "filter", options);
        if (!filter) return false;
        for (std::size_t i = 0; i < inputs.size(); ++i) {
            const Input& in = inputs[i];
            const std::string size = std::to_string(in.width) + "x" + std::to_string(in.height),
                              tick = std::to_string(in.tick.num) + "/" + std::to_string(in.tick.den),
                              args = "video_size=" + size + ":pix_fmt=" + std::to_string(in.format) +
                                     ":time_base=" + tick + ":pixel_aspect=1/1";
            m_sources.push_back(add("buffer", ("in" + std::to_string(i)).c_str(), args.c_str()));
            if (!m_sources.back() || avfilter_link(m_sources.back(), 0, filter, static_cast<unsigned>(i)) < 0)
                return false;
        }
        m_out = add("buffersink", "out", nullptr);
        return m_out && avfilter_link(filter, 0, m_out, 0) >= 0 &&
               avfilter_graph_config(m_graph.get(), nullptr) >= 0;
    }
    bool put(std::size_t input, AVFrame* frame) override {
        return av_buffersrc_add_frame_flags(m_sources[input], frame, AV_BUFFERSRC_FLAG_KEEP_REF) >= 0;
    }
    ffmpeg::Frame take() override {
        ffmpeg::Frame frame(av_frame_alloc());
        if (frame && av_buffersink_get_frame(m_out, frame.get()) < 0) frame.reset();
        return frame;
    }

private:
    /// Null: it does not go.
    AVFilterContext* add(const char* filter, const char* name, const char* options) {
        AVFilterContext* made = nullptr;
        return avfilter_graph_create_filter(&made, avfilter_get_by_name(filter), name, options, nullptr,
                                            m_graph.get()) < 0
                   ? nullptr
                   : made;
    }
    std::unique_ptr<AVFilterGraph, ffmpeg::FreeByAddress<avfilter_graph_free>> m_graph;
    std::vector<AVFilterContext*> m_sources;
    AVFilterContext* m_out = nullptr;
};

std::unique_ptr<FrameFilter> open(const char* name, const char* options,
                                  const std::vector<FrameFilter::Input>& inputs) {
    auto graph = std::make_unique<Graph>();
    return graph->open(name, options, inputs) ? std::move(graph) : nullptr;
}

}

extern "C" __attribute__((visibility("default"))) const FrameFilters stagePlugin;
const FrameFilters stagePlugin{&open};

}
