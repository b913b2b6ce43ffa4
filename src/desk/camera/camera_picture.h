// The picture of the Camera view, made off the interface thread: a draft at once, the final one a moment
// after it stands still, and the frames that will be played, ahead. What is dragged, and what is played
// before its frames are there, is made more coarsely where it would be late otherwise, and of fewer pixels
// where that is not enough. Interface thread.
#pragma once

#include "desk/jobs/frame_cache.h"
#include "desk/jobs/view_renderer.h"
#include "desk/session/session.h"
#include "motion/frame.h"

#include <QTimer>
#include <functional>
#include <map>
#include <optional>

namespace stage::desk {

class CameraPicture : public QObject {
    Q_OBJECT
public:
    /// What is to be rendered of the frame.
    struct Extent {
        V2i size{0};     ///< of the whole frame, px; empty: nothing
        media::Box seen; ///< the part of it that is in view
    };
    /// extent: for a share (0..1] of the view's own resolution.
    CameraPicture(Session& session, std::function<Extent(double share)> extent);

    const QImage& image() const { return m_image; }
    bool refined() const { return m_refined; } ///< all of it is the final one
    /// The frame that the picture is of: while playing it may be behind the playhead.
    std::int64_t frame() const { return m_shown; }
    double milliseconds() const { return m_milliseconds; } ///< that the last draft took
    /// Of the view's resolution, across: below 1 where a picture would have been late.
    double share() const;
    bool coarse() const { return m_coarse; } ///< it was hurried, for it would have been late
    bool late() const { return m_late; }     ///< a picture takes longer than a second

    /// How the picture is shown; the scene does not change.
    void setExposure(const ViewExposure& exposure);
    const ViewExposure& exposure() const { return m_exposure; }
    /// What stands still is refined to the final picture, piece by piece.
    void setRefining(bool on);
    bool refining() const { return m_refining; }
    /// While playing, frames are shown as they come; those that are not there yet go before those ahead.
    void setPlaying(bool playing);
    /// While something is dragged in the view, nothing is rendered ahead. panned: the frame itself is.
    void setHeld(bool held, bool panned);
    const FrameCache& cache() const { return m_cache; }
    void setPlayBudget(std::size_t bytes); ///< kept for playing

    /// All that has been rendered is out of date, as after another extent.
    void forget();

Q_SIGNALS:
    void changed();      ///< image(), refined() or late()
    void shown();        ///< a new draft came from the renderer
    void refinedAll();   ///< all of it is as it will be written
    void cacheChanged(); ///< a moment ago: frames come faster than is worth showing

private:
    void update();
    void refine();
    void showLast();
    void refill();
    void keep(std::int64_t frame, const QImage& picture, bool coarse = false);
    void take(const QImage& picture, qint64 tag, double milliseconds);
    void takePiece(const QImage& part, const QPoint& at, qint64 tag);
    void takeFinal(const QImage& picture, qint64 tag);
    void followRenderers();
    Extent extentNow() const;
    RenderRequest request(std::int64_t frame, const Extent& extent) const;
    bool inTime() const; ///< pictures come in time rather than as well as they may be
    void adapt(double milliseconds, bool hurried);
    void holdLight(std::int64_t number, motion::Frame& frame);
    void ask(ViewRenderer& renderer, std::int64_t frame);
    motion::Frame onMove(std::int64_t frame, V2i size) const;
    void play();
    std::optional<std::int64_t> nextPlayed(std::int64_t count) const;
    bool isDue(std::int64_t frame) const;
    qint64 tagNow() const; ///< of a picture of the scene as it is, at the playhead
    bool offHere() const { return m_session.camera.offHere(); }

    Session& m_session;
    std::function<Extent(double)> m_extent;
    ViewRenderer m_draft, m_ahead, m_final; ///< m_ahead also every other picture that is played in a hurry
    QString m_failure;                      ///< the sentence told last, until a picture comes
    ViewExposure m_exposure;
    scene::ScenePtr m_scene;  ///< that pictures are of
    bool m_previewed = false; ///< it is a change that is being dragged
    bool m_refining = true, m_refined = false, m_playing = false, m_held = false, m_panned = false;
    QImage m_image;
    FrameCache m_cache; ///< drafts, for playing
    std::int64_t m_shown = -1;
    std::map<std::int64_t, QImage> m_finals; ///< refined ones, which would flicker among drafts
    qint64 m_generation = 0;
    double m_milliseconds = 0;
    bool m_hurry = false;      ///< those that come in time are hurried
    double m_share = 1;        ///< of the view's resolution, of pictures that are hurried
    double m_before = 0;       ///< ms that the draft before took
    bool m_holdsLight = false; ///< while it plays, every other picture shows the light of the one before
    /// The last one with light of its own.
    struct Lit {
        qint64 generation;
        std::int64_t number;
        motion::Frame frame;
        bool held = false; ///< by another one
    };
    std::optional<Lit> m_lit;
    bool m_coarse = false;
    /// What a renderer was asked for last.
    struct Asked {
        qint64 tag = -1;
        bool played = false; ///< to be shown while it plays
    } m_draftDraws, m_aheadDraws;
    bool m_late = false;
    bool m_resting = false; ///< the preview has not changed for a while
    QTimer m_still, m_rest, m_slow, m_cacheTold;
};

}
