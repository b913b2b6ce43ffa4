// A picture that is drawn anew only when what it is drawn from has changed.
#pragma once

#include <QPainter>
#include <QPixmap>
#include <cmath>
#include <optional>

namespace stage::desk {

/// Of a picture that covers all of a view, also where a part of a pixel is left over.
/// \param size  device-independent px
inline QSize pixelsOf(const QSize& size, double pixelRatio) {
    const auto up = [&](int side) { return static_cast<int>(std::ceil(side * pixelRatio)); };
    return {up(size.width()), up(size.height())};
}

/// \tparam Of all that the picture depends on besides its size; compared by ==
template <class Of> class KeptPicture {
public:
    /// Interface thread.
    /// \param size  device-independent px
    /// \param draw  given a painter on the picture, which is transparent
    template <class Draw> const QPixmap& of(Of wanted, const QSize& size, double pixelRatio, Draw draw) {
        const QSize pixels = pixelsOf(size, pixelRatio);
        const bool fits = m_picture.size() == pixels && m_picture.devicePixelRatio() == pixelRatio;
        if (!fits || m_of != wanted) {
            m_of = std::move(wanted);
            if (!fits) m_picture = QPixmap(pixels);
            m_picture.setDevicePixelRatio(pixelRatio);
            m_picture.fill(Qt::transparent);
            QPainter painter(&m_picture);
            painter.setRenderHint(QPainter::Antialiasing);
            draw(painter, *m_of);
        }
        return m_picture;
    }

private:
    std::optional<Of> m_of;
    QPixmap m_picture;
};

}
