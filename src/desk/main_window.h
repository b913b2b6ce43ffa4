// The desk: all views around one session, and the commands.
#pragma once

#include "desk/camera_view.h"
#include "desk/session.h"

#include "edit/bring_in.h"
#include "output/write.h"

#include <QMainWindow>

class QComboBox;
class QLabel;
class QStackedWidget;
class QSplitter;
class QToolButton;

namespace stage::desk {

class CutView;
class MarksStrip;
class NumberField;
class PaceView;
class Panel;
class PlanView;
class Timeline;

inline constexpr const char* sceneFilter = QT_TRANSLATE_NOOP("MainWindow", "Scenes (*.ostage)");

class MainWindow : public QMainWindow {
    Q_OBJECT
public:
    explicit MainWindow(std::filesystem::path journals);

    Session& session() { return m_session; }
    CameraView& camera() { return *m_camera; }
    PlanView& plan() { return *m_plan; }
    Timeline& timeline() { return *m_timeline; }
    CutView& cutView() { return *m_cut; }
    /// The cut-out view in place of the Plan, its numbers in place of the details.
    void setCutting(bool on);
    bool cutting() const;

    /// Opens a scene file, offering what its journal has kept. False when it could not be opened.
    bool openFile(const std::filesystem::path& path);
    /// Brings files in off the interface thread.
    void bringIn(const std::vector<std::filesystem::path>& files, const edit::BringInWays& ways = {});
    /// The same, after asking what to take where there is a choice.
    /// Files or a picture from the clipboard. A picture without a file is kept beside the scene, or in the
    /// program's own folder while the scene has none.
    void paste();
    void offerIn(const std::vector<std::filesystem::path>& files);
    /// Renders and writes off the interface thread; finished() tells when.
    void write(const output::Job& job);
    /// Offers work that a crash left without a file.
    void offerRecovery();

Q_SIGNALS:
    void broughtIn(bool ok);
    void written(bool ok);

protected:
    void dragEnterEvent(QDragEnterEvent* event) override;
    void dropEvent(QDropEvent* event) override;
    void closeEvent(QCloseEvent* event) override;

private:
    QWidget* makeTopBar();
    QWidget* makeCutPanel();
    void makeMenus();
    bool leave(); ///< asks about unsaved work; false to stay
    bool saveAs();
    bool save();
    void refreshLens();
    void refreshStatus();
    void lookForMedia();
    void refreshTitle();
    void say(const QString& sentence, bool problem = false);
    void togglePlay();

    std::filesystem::path m_journals;
    Session m_session;
    CameraView* m_camera;
    PlanView* m_plan;
    CutView* m_cut;
    QStackedWidget *m_right, *m_numbers;
    QSplitter* m_upper;
    MarksStrip* m_marks;
    Timeline* m_timeline;
    PaceView* m_pace;
    QToolButton *m_moveTool, *m_pushTool, *m_walkTool, *m_hold, *m_cutTool;
    NumberField *m_focal, *m_angle;
    QComboBox* m_gate;
    QLabel *m_state, *m_speed, *m_cache, *m_name;
    QTimer m_sayOver, m_settled;
    int m_missing = 0;
    bool m_saying = false;
};

}
