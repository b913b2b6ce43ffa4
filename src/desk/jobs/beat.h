// Tells views that the playhead has gone on. Interface thread.
#pragma once

#include <QObject>
#include <QPointer>
#include <functional>
#include <vector>

class QWidget;

namespace stage::desk {

/// All of them at once; but while it plays one view after another, each when what is shown first has been
/// painted, so that none holds up the next frame: drawings at every second frame in turn, numbers at the
/// rest.
class Beat : public QObject {
    Q_OBJECT
public:
    enum class Rank { Drawing, Numbers };
    using QObject::QObject;

    /// Views that are hidden are left out while it plays. Forgotten with the view.
    void follow(QWidget* view, Rank rank, std::function<void()> tell);
    /// When it ends, all are told.
    void setPlaying(bool playing);
    void tick();

private:
    struct Follower {
        QPointer<QWidget> view;
        Rank rank;
        std::function<void()> tell;
    };
    void tellNext(Rank rank);
    std::vector<Follower> m_followers;
    bool m_playing = false;
    std::size_t m_count = 0;
    std::size_t m_next[2] = {0, 0};
};

}
