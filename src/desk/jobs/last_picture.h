// What the Camera view showed of a scene file when it was last worked on, kept in the cache folder, so that
// something is there at once when it is opened again. Interface thread; never waits.
#pragma once

#include <QImage>
#include <QObject>
#include <filesystem>
#include <functional>

namespace stage::desk {

/// Of the scene's first frame, the whole of it.
void keepLastPicture(const std::filesystem::path& scene, const QImage& picture);
/// Calls `take` a moment later if there is one, and the receiver still is.
void findLastPicture(const std::filesystem::path& scene, QObject* receiver,
                     std::function<void(const QImage& picture)> take);

}
