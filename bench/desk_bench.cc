// How fast the desk follows a hand: a bar dragged in the Plan of the demo with 300 scattered layers more. One
// iteration is one move of the mouse until the Plan is painted and the Camera view shows a new picture.
// Yardsticks in the same run: the same pictures painted by Qt's own rasteriser, and a plain copy of memory.
// A watchdog on another thread asks the interface thread for an answer all the while; "blocked_ms" is the
// longest that it waited.
#include "desk/camera/camera_view.h"
#include "desk/files/scene_files.h"
#include "desk/look/theme.h"
#include "desk/set/draft_view.h"
#include "desk/time/timeline.h"
#include "desk/window/main_window.h"
#include "motion/frame.h"
#include "scene/file.h"

#include <QApplication>
#include <QEventLoop>
#include <QMouseEvent>
#include <QPainter>
#include <QSettings>
#include <QSignalSpy>
#include <QTemporaryDir>
#include <QTest>
#include <atomic>
#include <benchmark/benchmark.h>
#include <chrono>
#include <cstring>
#include <functional>
#include <thread>

namespace {

using namespace stage;
using Clock = std::chrono::steady_clock;

class Watchdog {
public:
    Watchdog()
        : m_thread([this](const std::stop_token& stop) {
              while (!stop.stop_requested()) {
                  std::atomic<bool> answered = false;
                  const auto asked = Clock::now();
                  QMetaObject::invokeMethod(
                      qApp, [&answered] { answered = true; }, Qt::QueuedConnection);
                  while (!answered && !stop.stop_requested())
                      std::this_thread::sleep_for(std::chrono::microseconds(200));
                  // A question left behind must not be answered into what is gone.
                  while (!answered)
                      std::this_thread::sleep_for(std::chrono::microseconds(200));
                  const double ms = std::chrono::duration<double, std::milli>(Clock::now() - asked).count();
                  m_longest = std::max(m_longest.load(), ms);
                  std::this_thread::sleep_for(std::chrono::milliseconds(2));
              }
          }) {}
    double longest() const { return m_longest; }
    void reset() { m_longest = 0; }
    ~Watchdog() {
        m_thread.request_stop();
        for (int i = 0; i < 50; ++i)
            QTest::qWait(2);
    }

private:
    std::atomic<double> m_longest = 0;
    std::jthread m_thread;
};

/// As a scene without a file: no other window's, nor what a run that was ended has left, makes it ask.
void openDemo(desk::MainWindow& window) {
    auto demo = scene::load(std::string(STAGE_SOURCE_DIR) + "/demo/lantern-quay.ostage");
    if (!demo) std::exit(1);
    window.session().document.begin(std::move(*demo), {});
}

/// The window as large as it takes for the Camera view's frame to be so wide (px), at 16 to 9.
void fitFrame(desk::MainWindow& window, int wide) {
    for (int i = 0; i < 12; ++i) {
        QTest::qWait(50);
        const QRectF frame = window.views().camera->frameRect();
        if (std::abs(frame.width() - wide) < 2) break;
        window.resize(window.size() + QSize(static_cast<int>((wide - frame.width()) * 1.4),
                                            static_cast<int>((wide * 9 / 16.0 - frame.height()) * 1.2)));
    }
}

struct Desk {
    QTemporaryDir journals;
    desk::MainWindow window{journals.path().toStdString()};
    std::int64_t bridge = 0, lamp = 0;

    /// crowded: with 300 lanterns more.
    explicit Desk(bool crowded) {
        window.resize(1280, 800);
        window.show();
        openDemo(window);
        if (!crowded) fitFrame(window, 960);
        desk::Session& session = window.session();
        std::int64_t lanterns = 0;
        scene::forEach(*session.scene(), [&](const scene::LayerPtr& layer, const auto&) {
            if (layer->name == "Far lanterns") lanterns = layer->id;
            if (layer->name == "Bridge") bridge = layer->id;
            if (layer->name == "Boat lantern") lamp = layer->id;
        });
        if (crowded) addLanterns(lanterns);
        session.selection.select({crowded ? bridge : lamp});
        QSignalSpy shown(&window.views().camera->picture(), &desk::CameraPicture::shown);
        shown.wait(30000);
        QTest::qWait(2000);
    }
    void addLanterns(std::int64_t lanterns) {
        desk::Session& session = window.session();
        session.document.apply({{"edit", "scatter"},
                                {"layer", lanterns},
                                {"count", 300},
                                {"seed", 3},
                                {"box", {40, 12, 30}},
                                {"turn", 20},
                                {"sizes", 0.5}});
        // Small ones, as a crowd is.
        std::vector<std::int64_t> copies;
        for (const scene::LayerPath& found : scene::all(*session.scene()))
            if (!found.holders.empty()) copies.push_back(found.layer->id);
        session.document.apply(edit::onLayers("scale", copies, {{"by", 0.15}}));
    }
};

std::unique_ptr<Desk> theDesk;
Desk& desk_() {
    if (!theDesk) theDesk = std::make_unique<Desk>(true);
    return *theDesk;
}
void closeDesk() {
    if (theDesk) theDesk->window.session().document.close();
    theDesk.reset();
}

/// In the Plan, from a place of it.
void dragged(benchmark::State& state, Desk& desk, const QPointF& from) {
    desk::DraftView& plan = *desk.window.views().plan;
    const auto send = [&](QEvent::Type type, const QPointF& at) {
        QMouseEvent event(type, at, plan.mapToGlobal(at),
                          type == QEvent::MouseMove ? Qt::NoButton : Qt::LeftButton,
                          type == QEvent::MouseButtonRelease ? Qt::NoButton : Qt::LeftButton, Qt::NoModifier);
        QApplication::sendEvent(&plan, &event);
    };
    int pictures = 0;
    const auto connection = QObject::connect(&desk.window.views().camera->picture(),
                                             &desk::CameraPicture::shown, [&pictures] { ++pictures; });
    send(QEvent::MouseButtonPress, from);
    int step = 0;
    Watchdog watchdog;
    QTest::qWait(20);
    watchdog.reset();
    for (auto _ : state) {
        const int before = pictures;
        ++step;
        send(QEvent::MouseMove, from + QPointF(0, 4 + step % 40));
        while (pictures == before)
            QApplication::processEvents(QEventLoop::AllEvents | QEventLoop::WaitForMoreEvents);
        QApplication::processEvents(); // and painted
    }
    state.counters["blocked_ms"] = watchdog.longest();
    state.counters["per_second"] = benchmark::Counter(1, benchmark::Counter::kIsIterationInvariantRate);
    send(QEvent::MouseButtonRelease, from);
    QObject::disconnect(connection);
    QTest::qWait(500);
}
void planDrag(benchmark::State& state) {
    dragged(state, desk_(), desk_().window.views().plan->barMiddle(desk_().bridge));
}
BENCHMARK(planDrag)->Unit(benchmark::kMillisecond)->UseRealTime()->MinTime(3)->Repetitions(5);

/// The same cards with the same small pictures, painted by Qt at the Camera view's size.
void yardstickQt(benchmark::State& state) {
    Desk& desk = desk_();
    desk::Session& session = desk.window.session();
    const QRectF rect = desk.window.views().camera->frameRect();
    const motion::Frame frame =
        motion::evaluate(*session.scene(), session.playhead.time(), {int(rect.width()), int(rect.height())});
    std::vector<std::pair<QTransform, QImage>> cards;
    const std::function<void(const std::vector<motion::Item>&)> gather = [&](const auto& items) {
        for (const motion::Item& item : items) {
            if (item.flattened) {
                gather(item.items);
                continue;
            }
            const QImage small = session.swatches().of(*session.scene(), item.layer).picture;
            if (small.isNull()) continue;
            QPolygonF quad;
            for (const V3d& corner : item.card.outline())
                if (const auto at = optics::project(frame.view, corner)) quad << QPointF(at->x, at->y);
            QTransform transform;
            const QPolygonF box{{0, 0},
                                {1.0 * small.width(), 0},
                                {1.0 * small.width(), 1.0 * small.height()},
                                {0, 1.0 * small.height()}};
            if (quad.size() == 4 && QTransform::quadToQuad(box, quad, transform))
                cards.emplace_back(transform, small.convertToFormat(QImage::Format_ARGB32_Premultiplied));
        }
    };
    gather(frame.items);
    QImage picture(frame.size.x, frame.size.y, QImage::Format_ARGB32_Premultiplied);
    for (auto _ : state) {
        picture.fill(Qt::black);
        QPainter painter(&picture);
        painter.setRenderHint(QPainter::SmoothPixmapTransform);
        for (const auto& [transform, image] : cards) {
            painter.setTransform(transform);
            painter.drawImage(0, 0, image);
        }
    }
    state.counters["cards"] = static_cast<double>(cards.size());
}
BENCHMARK(yardstickQt)->Unit(benchmark::kMillisecond)->UseRealTime();

/// A lamp of the demo, whose light makes the pictures of all that it reaches anew; the frame 960 x 540.
void lampDrag(benchmark::State& state) {
    closeDesk();
    Desk desk(false);
    dragged(state, desk, desk.window.views().plan->barMiddle(desk.lamp));
    const QRectF rect = desk.window.views().camera->frameRect();
    state.counters["wide_px"] = rect.width(), state.counters["high_px"] = rect.height();
    desk.window.session().document.close();
}
BENCHMARK(lampDrag)->Unit(benchmark::kMillisecond)->UseRealTime()->MinTime(3)->Repetitions(3);

/// A mark of the demo, on which the whole move depends; the same frame.
void markDrag(benchmark::State& state) {
    closeDesk();
    Desk desk(false);
    desk.window.session().selection.select({});
    const auto at = desk.window.views().plan->placeOf(desk::CameraHandle::Kind::Mark, 2);
    if (!at) return state.SkipWithError("no mark");
    dragged(state, desk, *at);
    desk.window.session().document.close();
}
BENCHMARK(markDrag)->Unit(benchmark::kMillisecond)->UseRealTime()->MinTime(3)->Repetitions(3);

/// When which frame was painted, told of by the paint events of a view.
class Painted : public QObject {
public:
    Painted(QWidget& view, std::function<std::int64_t()> frame) : m_view(view), m_frame(std::move(frame)) {
        m_view.installEventFilter(this);
    }
    ~Painted() override { m_view.removeEventFilter(this); }
    void start() {
        m_begin = Clock::now();
        m_first.clear();
    }
    /// Of frames that were due at i / rate: how many were painted more than half a frame late or not at all.
    void tell(benchmark::State& state, std::int64_t count, double rate, std::int64_t loop) const {
        int late = 0, never = 0;
        double worst = 0;
        for (std::int64_t i = 1; i < count; ++i) { // the first is there already
            const double due = static_cast<double>(i) / rate;
            double came = -1;
            for (const auto& [frame, at] : m_first)
                if (frame == i % loop && at > due - 0.5 / rate && at < due + 1 / rate) {
                    came = at;
                    break;
                }
            if (came < 0)
                ++never;
            else
                worst = std::max(worst, came - due);
            if (came < 0 || came > due + 0.5 / rate) ++late;
        }
        state.counters["late_percent"] = 100.0 * late / static_cast<double>(count);
        state.counters["never"] = never;
        state.counters["latest_ms"] = worst * 1000;
    }

protected:
    bool eventFilter(QObject*, QEvent* event) override {
        if (event->type() != QEvent::Paint) return false;
        const std::int64_t frame = m_frame();
        if (m_first.empty() || m_first.back().first != frame)
            m_first.emplace_back(frame, std::chrono::duration<double>(Clock::now() - m_begin).count());
        return false;
    }

private:
    QWidget& m_view;
    std::function<std::int64_t()> m_frame;
    Clock::time_point m_begin;
    std::vector<std::pair<std::int64_t, double>> m_first;
};

/// The demo played before any of its frames is there, the Camera view's frame 960 x 540, 96 frames.
void playUncached(benchmark::State& state) {
    closeDesk();
    Desk desk(false);
    desk::CameraPicture& picture = desk.window.views().camera->picture();
    const QRectF rect = desk.window.views().camera->frameRect();
    int pictures = 0;
    double shares = 0;
    std::int64_t last = -1;
    const auto connection = QObject::connect(&picture, &desk::CameraPicture::changed, [&] {
        if (std::exchange(last, picture.frame()) == picture.frame()) return;
        ++pictures, shares += picture.share();
    });
    desk.window.session().playhead.setFrame(10);
    for (auto _ : state) {
        picture.forget();
        desk.window.views().timeline->setPlaying(true);
        QTest::qWait(500); // until it has found its size
        pictures = 0, shares = 0;
        const auto begin = Clock::now();
        QTest::qWait(4000);
        const double seconds = std::chrono::duration<double>(Clock::now() - begin).count();
        desk.window.views().timeline->setPlaying(false);
        state.counters["per_second"] = pictures / seconds;
        state.counters["share_percent"] = 100 * shares / std::max(1, pictures);
    }
    state.counters["wide_px"] = rect.width(), state.counters["high_px"] = rect.height();
    QObject::disconnect(connection);
    desk.window.session().document.close();
}
BENCHMARK(playUncached)->Unit(benchmark::kMillisecond)->UseRealTime()->Iterations(1)->Repetitions(3);

constexpr std::int64_t playedFrames = 360; ///< 15 s at 24 per second

/// As an application lives; QTest's own wait sleeps for 10 ms at a time.
void live(int milliseconds) {
    QEventLoop loop;
    QTimer::singleShot(milliseconds, Qt::PreciseTimer, &loop, &QEventLoop::quit);
    loop.exec();
}

/// The demo played from the cache, the Camera view's frame 1280 x 720, all other views beside it.
void playCached(benchmark::State& state) {
    closeDesk(); // which would go on rendering ahead beside it
    QTemporaryDir journals;
    desk::MainWindow window{journals.path().toStdString()};
    window.resize(1900, 1240);
    window.show();
    openDemo(window);
    window.views().camera->picture().setRefining(false);
    fitFrame(window, 1280);
    const std::int64_t count = window.session().scene()->output.frames;
    window.views().camera->picture().setPlayBudget(2048u << 20);
    if (!QTest::qWaitFor([&] { return window.views().camera->picture().cache().count() == count; }, 120000))
        return state.SkipWithError("the cache was not filled");
    Painted painted(*window.views().camera, [&] { return window.views().camera->picture().frame(); });
    for (auto _ : state) {
        window.session().playhead.setFrame(0);
        QTest::qWait(300);
        painted.start();
        window.views().timeline->setPlaying(true);
        live(static_cast<int>(playedFrames * 1000 / 24));
        window.views().timeline->setPlaying(false);
    }
    painted.tell(state, playedFrames - 2, 24, count);
    state.counters["width"] = window.views().camera->frameRect().width();
    window.session().document.close();
}
BENCHMARK(playCached)->Unit(benchmark::kMillisecond)->UseRealTime()->Iterations(1)->Repetitions(3);

/// As many pictures of that size shown by a bare widget at the same rate: what this machine can do at all.
void yardstickShow(benchmark::State& state) {
    struct Bare : QWidget {
        QImage pictures[2] = {QImage(1280, 720, QImage::Format_ARGB32_Premultiplied),
                              QImage(1280, 720, QImage::Format_ARGB32_Premultiplied)};
        std::int64_t frame = 0;
        void paintEvent(QPaintEvent*) override { QPainter(this).drawImage(0, 0, pictures[frame % 2]); }
    } bare;
    for (QImage& picture : bare.pictures)
        picture.fill(Qt::darkBlue);
    bare.resize(1280, 720);
    bare.show();
    QTest::qWait(500);
    Painted painted(bare, [&] { return bare.frame; });
    QTimer timer;
    timer.setTimerType(Qt::PreciseTimer);
    Clock::time_point begin;
    QObject::connect(&timer, &QTimer::timeout, &bare, [&] {
        const auto frame =
            static_cast<std::int64_t>(std::chrono::duration<double>(Clock::now() - begin).count() * 24);
        if (frame == bare.frame) return;
        bare.frame = frame;
        bare.update();
    });
    for (auto _ : state) {
        bare.frame = 0;
        begin = Clock::now();
        painted.start();
        bare.update();
        timer.start(2);
        live(static_cast<int>(playedFrames * 1000 / 24));
        timer.stop();
    }
    painted.tell(state, playedFrames - 2, 24, 1 << 30);
}
BENCHMARK(yardstickShow)->Unit(benchmark::kMillisecond)->UseRealTime()->Iterations(1);

void yardstickCopy(benchmark::State& state) {
    std::vector<char> from(64 << 20, 1), to(64 << 20);
    for (auto _ : state) {
        std::memcpy(to.data(), from.data(), from.size());
        benchmark::DoNotOptimize(to.data());
    }
    state.SetBytesProcessed(state.iterations() * static_cast<std::int64_t>(from.size()));
}
BENCHMARK(yardstickCopy)->Unit(benchmark::kMillisecond)->UseRealTime();

}

int main(int argc, char** argv) {
    QApplication application(argc, argv);
    desk::theme::apply(application);
    const QTemporaryDir settings;
    QSettings::setPath(QSettings::NativeFormat, QSettings::UserScope, settings.path());
    benchmark::Initialize(&argc, argv);
    benchmark::RunSpecifiedBenchmarks();
    closeDesk(); // before the application goes
}
