// A picture that is drawn anew only when what it is drawn from has changed.
#pragma once

#include <QPainter>
#include <QPixmap>
#include <optional>

namespace stage::desk {

/// \tparam Of all that the picture depends on besides its size; compared by ==
template <class Of> class KeptPicture {
public:
    /// Interface thread.
    /// \param size  device-independent px
    /// \param draw  given a painter on the picture, which is transparent
    template <class Draw> const QPixmap& of(Of wanted, const QSize& size, double pixelRatio, Draw draw) {
        if (m_of != wanted || m_picture.size() != size * pixelRatio ||
            m_picture.devicePixelRatio() != pixelRatio) {
            m_of = std::move(wanted);
            m_picture = QPixmap(size * pixelRatio);
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
