// The queue of what is written: jobs in order, how far they are, the frame under way, and what can be done
// with them. Interface thread.
#pragma once

#include "desk/files/output_queue.h"

#include <QDialog>

class QLabel;
class QPushButton;
class QTreeWidget;

namespace stage::desk {

class QueueWindow : public QDialog {
    Q_OBJECT
public:
    QueueWindow(OutputQueue& queue, QWidget* parent);

private:
    void makeList();
    QLayout* makeAside();
    QLayout* makeButtons();
    QPushButton* button(const QString& text, const char* name, const QString& tip,
                        std::function<Result<void>(const output::Queue&, const std::string&)> change);
    std::string selected() const;
    void refresh();
    void refreshAside();
    void showPicture(const output::QueuedJob& job);

    OutputQueue& m_queue;
    QTreeWidget* m_list;
    QLabel *m_picture, *m_about, *m_problem, *m_empty;
    QPushButton *m_pause, *m_cancel, *m_retry, *m_remove, *m_earlier, *m_later, *m_folder;
    std::filesystem::path m_shown;
};

}
