#include "desk/files/gltf_files.h"

#include "desk/jobs/background.h"
#include "desk/kit/dialog_form.h"
#include "desk/session/session.h"
#include "edit/camera_file.h"
#include "output/gltf.h"

#include <QComboBox>
#include <QDir>
#include <QFileDialog>
#include <QFileInfo>
#include <functional>

namespace stage::desk {
namespace {

class GltfFiles {
    Q_DECLARE_TR_FUNCTIONS(stage::desk::GltfFiles)
public:
    static void write(QWidget* window, Session& session) {
        const std::filesystem::path document = session.document.path();
        const QString base =
            document.empty() ? QDir::homePath() + QStringLiteral("/set")
                             : QString::fromStdString((document.parent_path() / document.stem()).string());
        const QString set = tr("The set with its camera (*.glb)"), camera = tr("The camera alone (*.glb)");
        QString which;
        QString chosen =
            QFileDialog::getSaveFileName(window, tr("Write as glTF"), base + QStringLiteral(".glb"),
                                         set + QStringLiteral(";;") + camera, &which);
        if (chosen.isEmpty()) return;
        if (QFileInfo(chosen).suffix().isEmpty()) chosen += QStringLiteral(".glb");
        const auto content = which == camera ? output::GltfContent::Camera : output::GltfContent::Set;
        inBackground<output::GltfWritten>(
            window, tr("Writing %1").arg(QFileInfo(chosen).fileName()),
            [scene = session.scene(), sources = session.sharedSources(), path = chosen.toStdString(),
             content](const Progress& progress) {
                return output::writeGltf(*scene, path, content, *sources, progress);
            },
            [&session, chosen](Result<output::GltfWritten> written) {
                if (!written) {
                    if (!written.error().cancelled) session.tell(written.error());
                    return;
                }
                QString said = tr("Wrote %1.").arg(chosen);
                QStringList leftOut;
                for (const std::string& name : written->leftOut)
                    leftOut << QString::fromStdString(name);
                if (!leftOut.isEmpty())
                    said +=
                        QLatin1Char(' ') +
                        tr("Not in it, as they are no cards: %1.").arg(leftOut.join(QStringLiteral(", ")));
                Q_EMIT session.said(said);
            });
    }

    static void take(QWidget* window, Session& session) {
        const QString chosen = QFileDialog::getOpenFileName(
            window, tr("Take a camera"),
            QString::fromStdString(session.document.path().parent_path().string()),
            tr("glTF files (*.glb *.gltf)"));
        if (chosen.isEmpty()) return;
        // A file without one is told of before anything is asked.
        reading(chosen, {}, window, session,
                [window, &session, chosen](const edit::Edit&) { askHow(chosen, window, session); });
    }

private:
    static void reading(const QString& chosen, const edit::CameraFileOptions& options, QWidget* window,
                        Session& session, const std::function<void(const edit::Edit&)>& then) {
        inBackground<edit::Edit>(
            window, tr("Reading %1").arg(QFileInfo(chosen).fileName()),
            [scene = session.scene(), path = chosen.toStdString(), options](const Progress&) {
                return edit::cameraFrom(*scene, path, options);
            },
            [&session, then](const Result<edit::Edit>& edit) {
                if (!edit) return session.tell(edit.error());
                then(*edit);
            });
    }
    static void askHow(const QString& chosen, QWidget* window, Session& session) {
        Form form(window, tr("Take a camera from %1").arg(QFileInfo(chosen).fileName()), tr("Take"));
        auto* as = new QComboBox;
        as->setObjectName(QStringLiteral("cameraAs"));
        as->addItems({tr("tracks, exact in every frame"), tr("as few marks as tell it within 1 cm")});
        as->setToolTip(tr("The marks of the scene's own move go"));
        form.layout->addRow(tr("It becomes"), as);
        NumberField* metres =
            number(form, tr("A unit of the file is"), scene::Measured::Length, QStringLiteral("m"), 4, 0.1, 1,
                   tr("Metres; programs that solve cameras often have units of their own"));
        if (!form.run([&] {
                QString complaint;
                if (!(read(metres, complaint) > 0) && complaint.isEmpty())
                    complaint = tr("A unit is more than 0 m.");
                return complaint;
            }))
            return;
        QString complaint;
        edit::CameraFileOptions options;
        options.marks = as->currentIndex() == 1;
        options.metresPerUnit = read(metres, complaint);
        reading(chosen, options, window, session,
                [&session](const edit::Edit& edit) { session.document.apply(edit); });
    }
};

}

void chooseAndWriteGltf(QWidget* window, Session& session) {
    GltfFiles::write(window, session);
}
void chooseAndTakeCamera(QWidget* window, Session& session) {
    GltfFiles::take(window, session);
}

}
