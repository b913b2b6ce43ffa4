#include "desk/files/layer_clipboard.h"

#include "edit/clipboard.h"

#include <QClipboard>
#include <QGuiApplication>
#include <QImage>
#include <QMimeData>
#include <QUrl>

namespace stage::desk {
namespace {

constexpr char layersType[] = "application/x-open-stage-layers",
               originType[] = "application/x-open-stage-origin";

/// Tells one open scene from all others, also those of other windows.
QByteArray originOf(const Session& session) {
    return QByteArray::number(QCoreApplication::applicationPid()) + ' ' +
           QByteArray::number(session.document.generation());
}

}

LayerClipboard::LayerClipboard(Session& session, MediaFiles& files, std::filesystem::path pictures)
    : QObject(&files), m_session(session), m_files(files), m_pictures(std::move(pictures)) {}

void LayerClipboard::copy() {
    const auto& chosen = m_session.selection.layers();
    if (chosen.empty()) {
        Q_EMIT m_session.said(tr("Select a layer first."));
        return;
    }
    const auto text = edit::copied(*m_session.scene(), chosen);
    if (!text) return m_session.tell(text.error());
    auto* layers = new QMimeData;
    layers->setData(QLatin1String(layersType), QByteArray::fromStdString(*text));
    layers->setData(QLatin1String(originType), originOf(m_session));
    QGuiApplication::clipboard()->setMimeData(layers);
    Q_EMIT m_session.said(tr("Copied %n layer(s).", nullptr, static_cast<int>(chosen.size())));
}

void LayerClipboard::paste() {
    const QMimeData* held = QGuiApplication::clipboard()->mimeData();
    if (held && held->hasFormat(QLatin1String(layersType)))
        return pasteLayers(held->data(QLatin1String(layersType)),
                           held->data(QLatin1String(originType)) == originOf(m_session));
    std::vector<std::filesystem::path> files;
    if (held)
        for (const QUrl& url : held->urls())
            if (url.isLocalFile()) files.emplace_back(url.toLocalFile().toStdString());
    if (!files.empty()) return m_files.offer(files);
    const QImage image = held ? qvariant_cast<QImage>(held->imageData()) : QImage();
    if (!image.isNull()) return pastePicture(image);
    Q_EMIT m_session.said(tr("There is nothing to paste."));
}

void LayerClipboard::pasteLayers(const QByteArray& layers, bool ofThisScene) {
    const auto edit = edit::pasted(*m_session.scene(), layers.toStdString(), ofThisScene);
    if (!edit) return m_session.tell(edit.error());
    m_session.addLayers(*edit);
}

void LayerClipboard::pastePicture(const QImage& image) {
    const std::filesystem::path folder =
        m_session.document.path().empty() ? m_pictures : m_session.document.path().parent_path();
    std::error_code code;
    std::filesystem::create_directories(folder, code);
    std::filesystem::path file;
    for (int n = 1; file.empty() || std::filesystem::exists(file, code); ++n)
        file = folder / ("pasted-" + std::to_string(n) + ".png");
    if (!image.save(QString::fromStdString(file.string()), "PNG")) {
        Q_EMIT m_session.problem(
            tr("The picture could not be kept in %1.").arg(QString::fromStdString(folder.string())));
        return;
    }
    m_files.bringIn({file});
}

}
