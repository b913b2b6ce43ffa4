#include "desk/session/findings.h"

#include "checks/gaps.h"
#include "desk/jobs/workers.h"

#include <QElapsedTimer>
#include <QPointer>
#include <QTimer>
#include <algorithm>

namespace stage::desk {
namespace {

constexpr int dragWait = 100, editWait = 10; ///< ms

}

Findings::Findings(Session& session, QObject* parent) : QObject(parent), m_session(session) {
    m_settled.setSingleShot(true);
    m_settled.setInterval(dragWait);
    connect(&m_settled, &QTimer::timeout, this, &Findings::look);
    connect(&m_session.document, &Document::sceneChanged, this, [this] {
        if (m_still) return;
        m_known = false;
        if (m_running) m_running->request_stop(); // it is of a scene that is gone
        // Not at every step of a drag; then only whether the frame is filled.
        const bool dragged = m_session.document.previewing();
        m_settled.start(dragged ? dragWait : editWait);
        if (!dragged) {
            m_gapGlanced = false; // of a drag that is over
            return;
        }
        m_glanceWanted = m_session.scene();
        glance();
    });
    // Playing and scrubbing go first.
    connect(&m_session.playhead, &Playhead::frameChanged, this, [this] {
        if (m_known || m_still) return;
        if (m_running) m_running->request_stop();
        m_settled.start();
    });
    m_settled.start();
}

Findings::~Findings() {
    if (m_running) m_running->request_stop();
}

void Findings::look() {
    if (m_running) m_running->request_stop();
    m_running = std::make_shared<std::stop_source>();
    onWorker([self = QPointer(this), stop = m_running, scene = m_session.scene(),
              sources = m_session.sharedSources()] {
        // A gap is told at once; the rest may take a second.
        const auto soon = [&](checks::Finding finding) {
            onInterface([self, stop, scene, finding = std::move(finding)] {
                if (!self || stop->stop_requested() || self->m_still || scene != self->m_session.scene())
                    return;
                self->addGap(finding);
            });
        };
        auto report = guarded([&] { return checks::check(*scene, *sources, stop->get_token(), soon); });
        if (!report) return;
        onInterface([self, stop, scene, report = std::move(*report)] {
            // While a fix is tried out the list stays; what is found is asked for again after it.
            if (!self || stop->stop_requested() || self->m_still) return;
            self->m_report = report;
            self->m_known = scene == self->m_session.scene();
            Q_EMIT self->changed();
        });
    });
}

/// That there is a gap, where none is told yet.
void Findings::addGap(checks::Finding finding) {
    auto& all = m_report.findings;
    if (std::any_of(all.begin(), all.end(), [](const auto& f) { return f.kind == checks::Kind::Gap; }))
        return;
    all.insert(all.begin(), std::move(finding));
    Q_EMIT changed();
}

/// While something is dragged: one at a time, of the scene as it is when the one before has ended.
void Findings::glance() {
    if (m_glancing || !m_glanceWanted) return;
    m_glancing = true;
    onWorker([self = QPointer(this), scene = std::exchange(m_glanceWanted, nullptr),
              sources = m_session.sharedSources()] {
        QElapsedTimer timer;
        timer.start();
        auto seen = guarded([&] {
            checks::Coverage coverage(*sources);
            return checks::glanceForGap(checks::Frames(*scene), coverage);
        });
        onInterface([self, seen = std::move(seen), took = timer.elapsed()] {
            if (!self) return;
            if (seen && self->m_session.document.previewing() && !self->m_still) {
                if (*seen) {
                    self->addGap(**seen);
                } else if (self->m_gapGlanced) { // what glances do not see is not taken back by them
                    const auto gone = std::erase_if(self->m_report.findings, [](const auto& each) {
                        return each.kind == checks::Kind::Gap;
                    });
                    if (gone > 0) Q_EMIT self->changed();
                }
                self->m_gapGlanced = seen->has_value();
            }
            // The hand has the cores most of the time.
            QTimer::singleShot(2 * took, self, [self] {
                self->m_glancing = false;
                self->glance();
            });
        });
    });
}

void Findings::holdStill(bool hold) {
    m_still = hold;
    if (!hold && !m_known) m_settled.start(); // what was under way has been compared with what was tried out
}

const checks::Finding* Findings::goToNext() {
    const auto& rate = m_session.scene()->output.rate;
    const checks::Finding *next = nullptr, *first = nullptr;
    const auto sooner = [](const checks::Finding& a, const checks::Finding* b) { return !b || a.at < b->at; };
    checks::forEachSingle(m_report.findings, [&](const checks::Finding& each) {
        if (sooner(each, first)) first = &each;
        if (frameAt(each.at, rate) > m_session.playhead.frame() && sooner(each, next)) next = &each;
    });
    if (!next) next = first;
    if (!next) return nullptr;
    m_session.playhead.setFrame(frameAt(next->at, rate));
    if (next->layer != 0) m_session.selection.select({next->layer});
    return next;
}

}
