// The desk's window: puts the views, the bars and the menus together, and remembers how they were laid out.
#pragma once

#include "desk/commands/views.h"
#include "desk/kit/commands.h"
#include "desk/session/session.h"

#include <QMainWindow>

class QLabel;
class QSplitter;

namespace stage::desk {

class CameraCommands;
class Findings;
class FindingsSheet;
class LayerClipboard;
class LayerCommands;
class MediaFiles;
class OutputWriter;
class SceneFiles;
class StatusLine;
class TimeCommands;
class ViewPanels;

class MainWindow : public QMainWindow {
    Q_OBJECT
public:
    /// journals: the folder for journals of scenes without a file.
    explicit MainWindow(std::filesystem::path journals);
    ~MainWindow() override;

    Session& session() { return m_session; }
    Commands& commands() { return m_commands; }
    const Views& views() const;
    Findings& findings() { return *m_findings; }
    SceneFiles& scenes() { return *m_scenes; }
    MediaFiles& media() { return *m_media; }
    LayerClipboard& clipboard() { return *m_clipboard; }
    OutputWriter& writer() { return *m_writer; }
    /// Opens a scene, each further one in a window of its own, and brings everything else in.
    void take(const std::vector<std::filesystem::path>& files);

protected:
    void dragEnterEvent(QDragEnterEvent* event) override;
    void dropEvent(QDropEvent* event) override;
    void closeEvent(QCloseEvent* event) override;

private:
    void makeMenus();
    void makeSceneName();
    void makeStartPage();
    void layOut();
    void restoreLayout();
    void keepLayout();
    void refreshTitle();

    Session m_session;
    Commands m_commands{this};
    SceneFiles* m_scenes;
    MediaFiles* m_media;
    LayerClipboard* m_clipboard;
    OutputWriter* m_writer;
    ViewPanels* m_panels;
    Findings* m_findings;
    FindingsSheet* m_sheet;
    StatusLine* m_status;
    LayerCommands* m_layerCommands;
    CameraCommands* m_cameraCommands;
    TimeCommands* m_timeCommands;
    QSplitter *m_upper, *m_all;
    QLabel* m_name;
};

}
