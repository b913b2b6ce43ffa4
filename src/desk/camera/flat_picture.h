// What the Camera view's picture is compared with: the flat picture, and how both are shown. Interface
// thread.
#pragma once

#include "desk/camera/camera_picture.h"

#include <filesystem>

namespace stage::desk {

class FlatPicture : public QObject {
    Q_OBJECT
public:
    enum class Show {
        Staged,    ///< no comparison
        Wipe,      ///< flat left of a line
        Flat,      ///< flat alone
        Difference ///< how far apart they are, amplified
    };
    static constexpr int amplified = 4;

    /// extent: as CameraPicture has it, at the view's own resolution.
    FlatPicture(Session& session, std::function<CameraPicture::Extent()> extent);

    Show show() const { return m_show; }
    void setShow(Show show);
    /// Where the line is, in widths of the frame.
    double line() const { return m_line; }
    void setLine(double share);
    /// A picture instead of the layers as the first mark sees them; empty: those.
    void setPicture(const std::filesystem::path& file);
    const std::filesystem::path& picture() const { return m_file; }
    /// For another extent, scene or frame.
    void refresh();

    /// The flat picture; null: none is there yet, or none is shown.
    const QImage& image() const { return m_image; }
    /// From the staged picture; null where one of both is.
    const QImage& difference(const QImage& staged);

Q_SIGNALS:
    void changed();

private:
    Session& m_session;
    std::function<CameraPicture::Extent()> m_extent;
    ViewRenderer m_renderer;
    Show m_show = Show::Staged;
    double m_line = 0.5;
    std::filesystem::path m_file;
    scene::ScenePtr m_against; ///< of the file; null: the layers
    QImage m_image, m_difference;
    qint64 m_differenceOf[2] = {0, 0};
};

}
