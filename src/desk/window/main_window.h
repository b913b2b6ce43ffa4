// The desk: all views around one session, and the commands.
#pragma once

#include "desk/camera/camera_view.h"
#include "desk/kit/commands.h"
#include "desk/kit/dialog_form.h"
#include "desk/kit/panes.h"
#include "desk/session/session.h"

#include "edit/bring_in.h"
#include "output/write.h"

#include <QMainWindow>
#include <functional>

class QFileSystemWatcher;
class QLabel;
class QMenu;
class QStackedWidget;
class QSplitter;
class QToolButton;

namespace stage::desk {

class CurveView;
class CutView;
class DraftView;
class Findings;
class FindingsSheet;
class GuideWindow;
class Ladder;
class ModelView;
class MarksStrip;
class NumberField;
class PaceView;
class Panel;
class StartPage;
class Timeline;

inline constexpr const char* sceneFilter = QT_TRANSLATE_NOOP("MainWindow", "Scenes (*.ostage)");

class MainWindow : public QMainWindow {
    Q_OBJECT
public:
    explicit MainWindow(std::filesystem::path journals);
    ~MainWindow() override;

    Session& session() { return m_session; }
    CameraView& camera() { return *m_camera; }
    DraftView& plan() { return *m_plan; }
    DraftView& section() { return *m_section; }
    ModelView& model() { return *m_model; }
    Ladder& ladder() { return *m_ladder; }
    Panes& panes() { return *m_panes; }
    Commands& commands() { return m_commands; }
    Timeline& timeline() { return *m_timeline; }
    CutView& cutView() { return *m_cut; }
    CurveView& curves() { return *m_curves; }
    PaceView& pace() { return *m_pace; }
    Findings& findings() { return *m_findings; }
    /// The list of what the checks found, over the status line.
    void showFindings(const QPoint& global);
    /// The cut-out view in place of the Plan, its numbers in place of the details.
    void setCutting(bool on);
    bool cutting() const;

    /// Opens a scene file, offering what its journal has kept. False when it could not be opened.
    bool openFile(const std::filesystem::path& path);
    /// The demo as a scene without a file.
    void openDemo();
    /// Brings files in off the interface thread.
    void bringIn(const std::vector<std::filesystem::path>& files, const edit::BringInOptions& options = {});
    /// Layers, files or a picture from the clipboard. A picture without a file is kept beside the scene, or
    /// in the program's own folder while the scene has none.
    void paste();
    /// Brings files in after asking what to take where there is a choice.
    void offerIn(const std::vector<std::filesystem::path>& files);
    /// Renders and writes off the interface thread; written() tells when.
    void write(const output::Job& job);
    /// Looks for missing media in a folder, off the interface thread.
    void findMedia(const std::filesystem::path& folder);
    /// Shows and runs the steps of undo in a list.
    void showHistory();
    /// What may be done with the selection, at a place of the screen.
    void showLayerMenu(const QPoint& global, std::optional<QPointF> inCamera = {});
    /// Offers work that a crash left without a file.
    void offerRecovery();
    /// Journals of scenes without a file that no window uses.
    std::vector<std::filesystem::path> leftBehind() const;

Q_SIGNALS:
    void broughtIn(bool ok);
    void written(bool ok);
    void mediaFound(bool all);

protected:
    void dragEnterEvent(QDragEnterEvent* event) override;
    void dropEvent(QDropEvent* event) override;
    void closeEvent(QCloseEvent* event) override;

private:
    void chooseFiles();
    void copyLayers();
    void explain();
    QWidget* makeTopBar();
    Panel* makeCutPanel();
    void makeViews(QWidget* marks);
    void makeMenus();
    void makeSceneMenu(QMenu* menu);
    void makeEditMenu(QMenu* menu);
    void makeLayerMenu(QMenu* menu);
    void makeDepthMenu(QMenu* menu);
    void makePlaceMenu(QMenu* menu);
    void makeCameraMenu(QMenu* menu);
    void makeTimeMenu(QMenu* menu);
    void makeKeysMenu(QMenu* menu);
    void makeCheckMenu(QMenu* menu);
    void showKeyMenu(const QPoint& global);
    void showMarkMenu(const QPoint& global, int mark);
    /// A change of the chosen keys; says so when none are.
    void changeChosenKeys(const interaction::KeyChange& change, const QString& name);
    /// Of a layer, or (0) the camera: the course that links and noise are for.
    std::pair<std::int64_t, std::string> course() const;
    void makeViewMenu(QMenu* menu);
    void makeHelpMenu(QMenu* menu);
    void showGuide();
    /// Shows what a dialog is about to do in all views.
    Previewer previewer();
    /// run, or a sentence when nothing is selected that may be moved.
    std::function<void()> withSelection(std::function<void()> run);
    void refreshHold();
    void fillRecent(QMenu* menu);
    void remember(const std::filesystem::path& scene);
    void autosave();
    struct Media {
        std::vector<std::int64_t> missing; ///< layers without their file
        QStringList gone, come;            ///< files to watch no longer, and from now on
    };
    void showMedia(const Media& found);
    void mediaChanged(const QString& path);
    void replaceMedia();
    /// Other files in layers' places, read off the interface thread; one step of that name.
    void replaceWith(const std::vector<std::pair<std::int64_t, std::string>>& files, const std::string& name);
    void keepLayout();
    bool leave(); ///< asks about unsaved work; false to stay
    bool saveAs();
    bool save();
    void refreshLens();
    void refreshStatus();
    void refreshFindings();
    void lookForMedia();
    void refreshTitle();
    void setMark();
    void say(const QString& sentence, bool problem = false);
    void togglePlay();

    std::filesystem::path m_journals;
    Session m_session;
    Commands m_commands{this};
    CameraView* m_camera;
    DraftView *m_plan, *m_section;
    ModelView* m_model;
    Ladder* m_ladder;
    CutView* m_cut;
    CurveView* m_curves;
    Findings* m_findings;
    FindingsSheet* m_sheet;
    GuideWindow* m_guide = nullptr; ///< made when it is first asked for
    StartPage* m_start;
    Panes* m_panes;
    Panel *m_cameraPanel, *m_planPanel, *m_sectionPanel;
    QStackedWidget* m_numbers;
    QSplitter *m_upper, *m_all;
    Panes::View m_beforeCutting = Panes::View::Plan; ///< what stood where it is cut
    MarksStrip* m_marks;
    Timeline* m_timeline;
    PaceView* m_pace;
    QToolButton *m_moveTool, *m_pushTool, *m_turnTool, *m_walkTool, *m_hold, *m_holdMark, *m_cutTool;
    NumberField *m_focal, *m_angle, *m_fstop, *m_focus;
    QFileSystemWatcher* m_watcher;
    interaction::CopiedKeys m_taken;
    QToolButton* m_findingsButton;
    QTimer m_cacheTold;
    QLabel *m_state, *m_speed, *m_cache, *m_name, *m_recoveryOff;
    QTimer m_sayOver, m_settled, m_saveTimer;
    scene::ScenePtr m_looking; ///< whose media are being looked for
    int m_missing = 0;
    bool m_saying = false;
};

}
