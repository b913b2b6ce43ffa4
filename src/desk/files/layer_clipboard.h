// Layers, files and pictures by the clipboard. Interface thread.
#pragma once

#include "desk/files/media_files.h"

namespace stage::desk {

class LayerClipboard : public QObject {
    Q_OBJECT
public:
    /// pictures: the folder for pictures without a file, while the scene has none.
    LayerClipboard(Session& session, MediaFiles& files, std::filesystem::path pictures);
    /// The selected layers.
    void copy();
    /// Layers, files or a picture. A picture without a file is kept beside the scene, or in the folder for
    /// them.
    void paste();

private:
    void pasteLayers(const QByteArray& layers, bool ofThisScene);
    void pastePicture(const QImage& image);
    Session& m_session;
    MediaFiles& m_files;
    std::filesystem::path m_pictures;
};

}
