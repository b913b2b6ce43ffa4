#include "media/packed.h"

#include <lz4frame.h>

namespace stage::media {
namespace {

struct Context {
    LZ4F_dctx* own = nullptr;
    Context() {
        if (LZ4F_isError(LZ4F_createDecompressionContext(&own, LZ4F_VERSION))) own = nullptr;
    }
    ~Context() { LZ4F_freeDecompressionContext(own); }
};

}

PackedBytes packed(const void* from, std::size_t bytes, int level) {
    LZ4F_preferences_t preferences = {};
    // Of what is packed, which is less to add up than what it expands to.
    preferences.frameInfo.blockChecksumFlag = LZ4F_blockChecksumEnabled;
    preferences.frameInfo.blockMode = LZ4F_blockIndependent;
    preferences.frameInfo.blockSizeID = LZ4F_max256KB; // at most half a tile: expanded straight into it
    preferences.frameInfo.contentSize = bytes;
    preferences.compressionLevel = level;
    PackedBytes out(LZ4F_compressFrameBound(bytes, &preferences));
    const std::size_t size = LZ4F_compressFrame(out.data(), out.size(), from, bytes, &preferences);
    out.resize(LZ4F_isError(size) ? 0 : size);
    return out;
}

bool unpack(const void* from, std::size_t bytes, void* to, std::size_t size) {
    static thread_local const Context context;
    if (!context.own) return false;
    LZ4F_resetDecompressionContext(context.own);
    std::size_t got = size, read = bytes;
    const std::size_t left = LZ4F_decompress(context.own, to, &got, from, &read, nullptr);
    return left == 0 && got == size && read == bytes;
}

}
