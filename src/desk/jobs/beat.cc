#include "desk/jobs/beat.h"

#include <QTimer>
#include <QWidget>

namespace stage::desk {

void Beat::follow(QWidget* view, Rank rank, std::function<void()> tell) {
    m_followers.push_back({view, rank, std::move(tell)});
}

void Beat::setPlaying(bool playing) {
    if (playing == m_playing) return;
    m_playing = playing;
    if (!playing) tick();
}

void Beat::tellNext(Rank rank) {
    std::size_t& next = m_next[static_cast<std::size_t>(rank)];
    for (std::size_t i = 0; i < m_followers.size(); ++i) {
        next = (next + 1) % m_followers.size();
        const Follower& follower = m_followers[next];
        if (follower.rank != rank || !follower.view || !follower.view->isVisible()) continue;
        follower.tell();
        return;
    }
}

void Beat::tick() {
    std::erase_if(m_followers, [](const Follower& each) { return !each.view; });
    if (!m_playing) {
        for (std::size_t i = 0; i < m_followers.size(); ++i)
            m_followers[i].tell();
        return;
    }
    const Rank rank = ++m_count % 2 == 0 ? Rank::Drawing : Rank::Numbers;
    // Once the frame itself has been painted, which a timer of no time would not wait for.
    constexpr int afterwards = 10; // ms
    QTimer::singleShot(afterwards, this, [this, rank] {
        if (m_playing) tellNext(rank);
    });
}

}
