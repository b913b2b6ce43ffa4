#include "desk/jobs/last_picture.h"

#include "desk/jobs/workers.h"
#include "media/kept_files.h"

#include <QBuffer>
#include <QPointer>

namespace stage::desk {
namespace {

std::string keyOf(const std::filesystem::path& scene) {
    return "last picture 1\n" + std::filesystem::absolute(scene).lexically_normal().string();
}

}

void keepLastPicture(const std::filesystem::path& scene, const QImage& picture) {
    onWorker([key = keyOf(scene), picture] {
        QByteArray bytes;
        QBuffer buffer(&bytes);
        buffer.open(QIODevice::WriteOnly);
        // Where the background shows, the picture is not opaque.
        const QImage opaque = picture.convertToFormat(QImage::Format_RGB32);
        if (opaque.save(&buffer, "JPG", 92)) media::keepText(key, bytes.toStdString());
    });
}

void findLastPicture(const std::filesystem::path& scene, QObject* receiver,
                     std::function<void(const QImage& picture)> take) {
    onWorker([key = keyOf(scene), self = QPointer(receiver), take = std::move(take)] {
        const auto bytes = media::keptText(key);
        if (!bytes) return;
        const QImage picture = QImage::fromData(QByteArray::fromStdString(*bytes), "JPG");
        if (picture.isNull()) return;
        onInterface([self, take, picture] {
            if (self) take(picture);
        });
    });
}

}
