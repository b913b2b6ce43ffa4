#include "output/loop.h"

#include <string>

namespace stage::output {

Result<std::vector<Shown>> shownFrames(std::int64_t first, std::int64_t last, const Loop& loop) {
    std::vector<Shown> shown;
    const std::int64_t count = last - first + 1;
    const std::int64_t over = loop.kind == Loop::Kind::Dissolve ? loop.dissolve : 0;
    if (over < 0 || 2 * over > count)
        return fail("A dissolve of " + std::to_string(over) + " frames needs at least " +
                    std::to_string(2 * over) + " frames, and there are " + std::to_string(count) + ".");
    for (std::int64_t i = 0; i < count - over; ++i) {
        Shown each{first + i};
        if (i < over) {
            // What goes on from the end is at the beginning still nearly all of it.
            each = {last + 1 - over + i, first + i,
                    static_cast<double>(i + 1) / static_cast<double>(over + 1)};
        }
        shown.push_back(each);
    }
    if (loop.kind == Loop::Kind::BackAndForth)
        for (std::int64_t i = count - 2; i > 0; --i)
            shown.push_back({first + i});
    return shown;
}

}
