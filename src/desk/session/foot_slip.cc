#include "desk/session/foot_slip.h"

#include "desk/jobs/workers.h"

#include <QPointer>

namespace stage::desk {

FootSlip::FootSlip(Document& document, Selection& selection, std::shared_ptr<media::PixelCache> sources)
    : m_document(document), m_selection(selection), m_sources(std::move(sources)) {
    connect(&m_document, &Document::sceneChanged, this, &FootSlip::look);
    connect(&m_selection, &Selection::layersChanged, this, &FootSlip::look);
}

FootSlip::~FootSlip() {
    m_ended.request_stop();
}

const scene::Layer* FootSlip::standing() const {
    if (m_selection.layers().size() != 1) return nullptr;
    const auto found = scene::find(*m_document.scene(), m_selection.layers().front());
    return found.layer && found.layer->standing ? found.layer.get() : nullptr;
}

/// One at a time: while one is looked for, what has changed meanwhile waits.
void FootSlip::look() {
    const scene::Layer* layer = standing();
    if (!layer) {
        m_again = false;
        if (!m_slip) return;
        m_slip.reset();
        Q_EMIT changed();
        return;
    }
    if (m_running) {
        m_again = true;
        return;
    }
    m_running = true;
    onWorker([self = QPointer(this), id = layer->id, scene = m_document.scene(), sources = m_sources,
              stop = m_ended.get_token()] {
        auto slips = guarded([&] { return checks::slipsOf(*scene, *sources, stop, {id}); });
        onInterface([self, id, slips = std::move(slips)] {
            if (!self) return;
            self->m_running = false;
            const scene::Layer* now = self->standing();
            if (now && now->id == id && slips && slips->contains(id)) {
                self->m_slip = slips->at(id);
                Q_EMIT self->changed();
            }
            if (self->m_again) {
                self->m_again = false;
                self->look();
            }
        });
    });
}

}
