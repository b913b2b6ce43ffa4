// Where keys go: commands have single letters, so the keyboard belongs to a view unless someone is typing.
#pragma once

#include <QObject>
#include <QPointer>
#include <functional>
#include <vector>

class QWidget;

namespace stage::desk {

/// Of one window:
/// - when the widget with the focus is hidden or goes, the focus goes to the view that was worked in last;
/// - Enter and Esc in a field give the focus back to that view;
/// - in a field for figures (property `figures`) that is not being written, letters but those that a figure
///   may begin with (property `letters`), Home, End, Delete and the space bar go to the commands.
class FocusKeeper : public QObject {
public:
    /// views: in which one works, the first of them where none has been used yet or is visible.
    FocusKeeper(QWidget* window, std::vector<QWidget*> views);

    /// The view to which the focus is given back.
    QWidget* view() const;

protected:
    bool eventFilter(QObject* watched, QEvent* event) override;

private:
    void focusChanged(QWidget* old, QWidget* now);
    void giveBack();

    QWidget* m_window;
    std::vector<QWidget*> m_views;
    QPointer<QWidget> m_last;
};

}
