#include "desk/camera/camera_picture.h"

#include "desk/jobs/last_picture.h"

#include <QPainter>
#include <algorithm>
#include <cmath>
#include <utility>

namespace stage::desk {
namespace {

constexpr std::size_t mostFinals = 64;
constexpr double wantedMilliseconds = 18; ///< for a draft while something is dragged
constexpr double shareOfBeat = 0.85;      ///< of a frame's time, for a draft while it plays
/// While it plays, pictures are made so many frames before they are shown, beyond the time that one takes:
/// some take longer than others.
constexpr std::int64_t playedAhead = 6;
/// Where those are late, whole pictures are made only when there is something to show for so many frames.
constexpr std::int64_t shownFor = 24;
/// About how many times as many pixels across and down can be hurried in the time that a whole draft takes.
constexpr double fasterAcross = 1.5;
constexpr qint64 hurriedTag = 1ll << 31; ///< beside a frame and a generation
constexpr double leastPlayed = 600;      ///< px across: with fewer, a movie is hard to judge and no faster

void setDelay(QTimer& timer, int milliseconds) {
    timer.setSingleShot(true);
    timer.setInterval(milliseconds);
}

}

CameraPicture::CameraPicture(Session& session, std::function<Extent(double share)> extent)
    : m_session(session), m_extent(std::move(extent)), m_draft(session.sharedSources()),
      m_ahead(session.sharedSources()), m_final(session.sharedSources()) {
    connect(&m_session.document, &Document::sceneChanged, this, [this] {
        const scene::ScenePtr before = std::exchange(m_scene, m_session.scene());
        const bool previewed = std::exchange(m_previewed, m_session.document.previewing());
        // The very same scene again: its files show something else now.
        if (!before || before == m_scene || !scene::samePictures(*before, *m_scene))
            forget();
        else if (previewed && !m_previewed)
            update(); // what was hurried is made whole
    });
    connect(&m_session.playhead, &Playhead::frameChanged, this, &CameraPicture::update);
    connect(&m_session.camera, &ShownCamera::changed, this, &CameraPicture::update);
    connect(&m_session.playhead, &Playhead::rangeChanged, this, &CameraPicture::refill);
    connect(&m_session.document, &Document::begun, this, &CameraPicture::showLast);
    connect(&m_session, &Session::writingChanged, this, &CameraPicture::refill);
    setDelay(m_cacheTold, 120);
    connect(&m_cacheTold, &QTimer::timeout, this, &CameraPicture::cacheChanged);
    // A picture that takes long (fills are made, large files read) is spoken of.
    setDelay(m_slow, 1000);
    connect(&m_slow, &QTimer::timeout, this, [this] {
        m_late = m_draft.busy() && !m_playing;
        Q_EMIT changed();
    });
    // What is previewed and stays so (a dialog, a hand that holds still) is shown at its full size.
    setDelay(m_rest, 350);
    connect(&m_rest, &QTimer::timeout, this, [this] {
        if (!m_session.document.previewing()) return;
        m_resting = true;
        update();
    });
    setDelay(m_still, 120);
    connect(&m_still, &QTimer::timeout, this, &CameraPicture::refine);
    followRenderers();
}

void CameraPicture::followRenderers() {
    connect(&m_draft, &ViewRenderer::ready, this, &CameraPicture::take);
    connect(&m_draft, &ViewRenderer::failed, this, [this] {
        m_slow.stop();
        m_late = false;
    });
    connect(&m_final, &ViewRenderer::piece, this, &CameraPicture::takePiece);
    connect(&m_final, &ViewRenderer::ready, this, &CameraPicture::takeFinal);
    connect(&m_ahead, &ViewRenderer::ready, this, [this](const QImage& picture, qint64 tag, double ms) {
        if (tag >> 32 != m_generation) return;
        if (tag & hurriedTag) {
            if (m_playing) take(picture, tag, ms);
            return;
        }
        keep(tag & 0xffffffff, picture);
        m_playing ? play() : refill();
    });
    // What does not render is told, once; what was shown stays.
    const auto tell = [this](const QString& sentence) {
        if (sentence == std::exchange(m_failure, sentence)) return;
        Q_EMIT m_session.problem(sentence);
    };
    for (ViewRenderer* renderer : {&m_draft, &m_final}) {
        connect(renderer, &ViewRenderer::failed, this, tell);
        connect(renderer, &ViewRenderer::ready, this, [this] { m_failure.clear(); });
    }
}

// ---- how it is shown

void CameraPicture::setExposure(const ViewExposure& exposure) {
    if (exposure == m_exposure) return;
    m_exposure = exposure;
    forget();
}

void CameraPicture::setRefining(bool on) {
    m_refining = on;
    forget();
}

void CameraPicture::setPlaying(bool playing) {
    m_playing = playing;
    if (playing) {
        m_final.drop();
        play();
    } else {
        update();
        refill();
    }
}

void CameraPicture::setHeld(bool held, bool panned) {
    m_held = held;
    m_panned = panned;
}

// ---- what comes from the renderers

/// Finds how the next one would be in time.
void CameraPicture::adapt(double milliseconds, bool hurried) {
    const double beat = 1000 / m_session.scene()->output.rate.toDouble();
    const double wanted = !m_playing ? wantedMilliseconds : shareOfBeat * beat * (hurried ? 2 : 1);
    // Where light is held every other one takes longer.
    const double before = std::exchange(m_before, milliseconds);
    if (m_holdsLight) milliseconds = (milliseconds + before) / 2;
    const double least = m_playing ? leastPlayed / std::max(1, m_extent(1).size.x) : 0;
    double by = std::sqrt(wanted / std::max(1.0, milliseconds)); // across
    if (!hurried) {
        m_hurry = by < 1;
        by *= fasterAcross;
    } else if (m_share == 1) {
        m_hurry = by < 2 * fasterAcross;
    }
    constexpr double muchFaster = 1.3; // than needed, so that it does not change with every picture
    m_holdsLight = m_playing && m_hurry && (m_share < 1 || by < (m_holdsLight ? muchFaster : 1));
    m_share = std::clamp((hurried ? m_share : 1) * by, std::clamp(least, 0.25, 1.0), 1.0);
}

void CameraPicture::take(const QImage& picture, qint64 tag, double milliseconds) {
    const bool coarse = (tag & hurriedTag) != 0;
    tag &= ~hurriedTag;
    const std::int64_t frame = tag & 0xffffffff;
    m_slow.stop();
    m_late = false;
    m_milliseconds = milliseconds;
    if (inTime()) adapt(milliseconds, coarse);
    // A coarse one is shown again only while it plays, where the playhead has gone on meanwhile.
    const bool played = m_playing && tag >> 32 == m_generation;
    if (played || (tag == tagNow() && !offHere() && !coarse)) keep(frame, picture, coarse);
    if (played && !isDue(frame)) return play();
    m_image = picture;
    m_shown = frame;
    m_coarse = coarse;
    m_refined = false;
    Q_EMIT changed();
    Q_EMIT shown();
    if (m_playing) return play();
    refill();
    if (m_refining && !m_playing && !m_session.document.previewing()) m_still.start();
}

void CameraPicture::takePiece(const QImage& part, const QPoint& at, qint64 tag) {
    if (tag != tagNow()) return;
    QPainter painter(&m_image);
    painter.setCompositionMode(QPainter::CompositionMode_Source);
    painter.drawImage(at, part);
    painter.end();
    Q_EMIT changed();
}

void CameraPicture::takeFinal(const QImage& picture, qint64 tag) {
    if (tag != tagNow()) return;
    m_image = picture;
    m_refined = true, m_coarse = false;
    if (m_finals.size() > mostFinals) m_finals.clear();
    if (!offHere()) m_finals[m_session.playhead.frame()] = picture;
    const Document& document = m_session.document;
    const Extent extent = extentNow();
    if (!offHere() && m_session.playhead.frame() == 0 && !document.path().empty() && !document.modified() &&
        extent.seen.within(media::boxOf(extent.size)) == media::boxOf(extent.size))
        keepLastPicture(document.path(), picture);
    Q_EMIT changed();
    Q_EMIT refinedAll();
    refill();
}

/// What was shown of this scene when it was last worked on, until there is a picture of it.
void CameraPicture::showLast() {
    m_image = {};
    if (m_session.document.path().empty()) return;
    findLastPicture(
        m_session.document.path(), this,
        [this, scene = m_session.document.generation()](const QImage& picture) {
            const V2i size = extentNow().size;
            if (scene != m_session.document.generation() || !m_image.isNull() || size.x < 1 || size.y < 1)
                return;
            m_image = picture.scaled(size.x, size.y, Qt::IgnoreAspectRatio, Qt::SmoothTransformation);
            m_shown = 0;
            Q_EMIT changed();
        });
}

void CameraPicture::keep(std::int64_t frame, const QImage& picture, bool coarse) {
    m_cache.setPlayhead(m_session.playhead.frame());
    m_cache.keep(frame, picture, coarse);
    if (!m_cacheTold.isActive()) m_cacheTold.start();
}

// ---- what is asked of them

qint64 CameraPicture::tagNow() const {
    return m_generation * (1ll << 32) + m_session.playhead.frame();
}

bool CameraPicture::inTime() const {
    return m_playing || (m_session.document.previewing() && !m_resting);
}

CameraPicture::Extent CameraPicture::extentNow() const {
    return m_extent(inTime() && m_hurry ? m_share : 1);
}

double CameraPicture::share() const {
    const int whole = m_extent(1).size.x;
    return m_image.isNull() || whole < 1 ? 1 : static_cast<double>(m_image.width()) / whole;
}

RenderRequest CameraPicture::request(std::int64_t frame, const Extent& extent) const {
    RenderRequest request;
    request.tag = m_generation * (1ll << 32) + frame;
    request.exposure = m_exposure;
    request.quality.region = extent.seen;
    return request;
}

void CameraPicture::forget() {
    m_resting = false;
    if (m_session.document.previewing()) m_rest.start();
    m_cache.clear();
    m_ahead.drop();
    m_finals.clear();
    ++m_generation;
    update();
    if (!m_cacheTold.isActive()) m_cacheTold.start();
}

void CameraPicture::update() {
    m_final.drop();
    m_still.stop();
    m_refined = false;
    const std::int64_t frame = m_session.playhead.frame();
    const bool off = offHere();
    if (const auto final = m_finals.find(frame); final != m_finals.end() && !off && !m_playing) {
        m_image = final->second;
        m_refined = true, m_coarse = false;
        m_shown = frame;
        Q_EMIT changed();
        Q_EMIT refinedAll();
        refill();
        return;
    }
    m_cache.setPlayhead(frame);
    if (const QImage* cached = off ? nullptr : m_playing ? m_cache.findCoarse(frame) : m_cache.find(frame)) {
        m_image = *cached;
        m_coarse = !m_cache.find(frame);
        m_shown = frame;
        Q_EMIT changed();
        if (m_playing) return play();
        refill();
        if (m_refining && !m_playing) m_still.start();
        return;
    }
    if (m_playing) return play();
    ask(m_draft, frame);
}

/// For a draft of a frame: while it plays of any, else of the one at the playhead.
void CameraPicture::ask(ViewRenderer& renderer, std::int64_t frame) {
    const Extent extent = extentNow();
    if (extent.size.x < 1 || extent.size.y < 1) return;
    RenderRequest wanted = request(frame, extent);
    (&renderer == &m_ahead ? m_aheadDraws : m_draftDraws) = {wanted.tag, m_playing};
    wanted.frame = m_playing ? onMove(frame, extent.size)
                             : motion::evaluate(*m_session.scene(), m_session.playhead.time(), extent.size,
                                                m_session.camera.pose());
    if (inTime() && m_hurry) {
        wanted.quality.hurried = true, wanted.tag |= hurriedTag;
        if (m_playing && m_holdsLight) holdLight(frame, wanted.frame);
    }
    wanted.finish = m_session.document.previewing() || m_panned;
    renderer.ask(std::move(wanted));
    if (!m_slow.isActive() && !m_late) m_slow.start();
}

/// A frame as it is played, wherever the camera is now.
motion::Frame CameraPicture::onMove(std::int64_t frame, V2i size) const {
    const Rational time = timeOfFrame(frame, m_session.scene()->output.rate);
    return motion::evaluate(*m_session.scene(), time, size, m_session.move().at(time.toDouble()));
}

/// Every other picture shows the light of the one before.
void CameraPicture::holdLight(std::int64_t number, motion::Frame& frame) {
    constexpr std::int64_t longest = 2; // frames
    const bool fits = m_lit && m_lit->generation == m_generation && !m_lit->held && number > m_lit->number &&
                      number - m_lit->number <= longest;
    if (fits)
        motion::holdLight(m_lit->frame, frame), m_lit->held = true;
    else
        m_lit = Lit{m_generation, number, frame};
}

/// Asks for the frames that come next, each in time to be shown. In a hurry two are made at once, which
/// leaves no core idle.
void CameraPicture::play() {
    while (const auto frame = nextPlayed(playedAhead)) {
        // What is under way is finished: else none would ever come where one takes longer than a frame lasts.
        const bool second = m_ahead.busy() && m_aheadDraws.played;
        if (m_draft.busy() && (!m_draftDraws.played || second || !m_hurry)) return;
        if (!second && m_hurry) m_ahead.drop(); // the cores are for what is shown now
        ViewRenderer& renderer = m_draft.busy() ? m_ahead : m_draft;
        ask(renderer, *frame);
        if (!renderer.busy()) return; // there is nothing to draw
    }
    refill();
}

/// The first frame without a picture, even a coarse one, of so many from the one on that is shown when a
/// picture would be done that is begun now.
std::optional<std::int64_t> CameraPicture::nextPlayed(std::int64_t count) const {
    const auto [first, last] = m_session.playhead.range();
    const std::int64_t all = last - first + 1, at = m_session.playhead.frame() - first;
    const double beat = 1000 / m_session.scene()->output.rate.toDouble();
    const auto takes = static_cast<std::int64_t>(std::ceil(std::min(m_milliseconds, 1000.0) / beat));
    for (std::int64_t i = std::max<std::int64_t>(takes, 1); i <= takes + count; ++i) {
        const std::int64_t frame = first + (at + std::min(i, all)) % all;
        const qint64 tag = m_generation * (1ll << 32) + frame;
        const bool underWay =
            (m_draft.busy() && m_draftDraws.tag == tag) || (m_ahead.busy() && m_aheadDraws.tag == tag);
        if (!underWay && !m_cache.findCoarse(frame)) return frame;
    }
    return {};
}

/// While it plays: whether a frame's time has come, and none after it has been shown.
bool CameraPicture::isDue(std::int64_t frame) const {
    const auto [first, last] = m_session.playhead.range();
    const std::int64_t all = last - first + 1;
    const auto ago = [&, now = m_session.playhead.frame()](std::int64_t of) {
        return ((now - of) % all + all) % all;
    };
    const bool shownOne = m_shown >= first && m_shown <= last;
    return ago(frame) <= all / 2 && (!shownOne || ago(frame) < ago(m_shown));
}

/// What is shown, as it will be written.
void CameraPicture::refine() {
    if (!m_refining || m_playing || m_session.document.previewing() || m_image.isNull()) return;
    const Extent extent = extentNow();
    const V2i size = extent.size;
    if (m_image.width() != size.x || m_image.height() != size.y) return;
    RenderRequest wanted = request(m_session.playhead.frame(), extent);
    wanted.frame = offHere() ? motion::evaluate(*m_session.scene(), m_session.playhead.time(), size,
                                                m_session.camera.pose(), true)
                             : motion::evaluate(*m_session.scene(), m_session.playhead.time(), size, true);
    wanted.quality.method = render::Method::Final;
    wanted.quality.samples = render::usualSamples;
    wanted.quality.noise = render::usualNoise;
    wanted.pieces = true;
    m_final.ask(std::move(wanted));
}

void CameraPicture::setPlayBudget(std::size_t bytes) {
    m_cache.setBudget(bytes);
    if (!m_cacheTold.isActive()) m_cacheTold.start();
    refill();
}

/// Renders the frames that will be needed next: while it plays, and when nothing else is to be done.
void CameraPicture::refill() {
    if (m_ahead.busy() || m_session.document.previewing() || m_held || m_panned) return;
    if (m_playing && nextPlayed(m_hurry ? shownFor : playedAhead)) return;
    if (!m_playing && (m_session.writing() || m_draft.busy() || (m_refining && !m_refined))) return;
    const scene::Scene& scene = *m_session.scene();
    if (scene.layers.empty()) return;
    const Extent extent = m_extent(1);
    const auto [first, last] = m_session.playhead.range();
    m_cache.setRange(first, last);
    m_cache.setPlayhead(m_session.playhead.frame());
    const V2i seen = extent.seen.size();
    const auto frame =
        m_cache.wanted(4 * static_cast<std::size_t>(seen.x) * static_cast<std::size_t>(seen.y));
    if (!frame) return;
    RenderRequest wanted = request(*frame, extent);
    wanted.frame = onMove(*frame, extent.size);
    m_aheadDraws = {wanted.tag, false};
    m_ahead.ask(std::move(wanted));
}

}
