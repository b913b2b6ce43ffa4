// How far the foot of the selected layer slips, looked for off the interface thread, also while something is
// dragged.
#pragma once

#include "checks/slip.h"
#include "desk/session/document.h"
#include "desk/session/selection.h"

#include <memory>
#include <stop_token>

namespace stage::desk {

class FootSlip : public QObject {
    Q_OBJECT
public:
    FootSlip(Document& document, Selection& selection, std::shared_ptr<media::PixelCache> sources);
    ~FootSlip() override;

    /// Of the one layer that is selected, of the scene as it was a moment ago. Null: none stands on anything.
    const checks::Slip* slip() const { return m_slip ? &*m_slip : nullptr; }

Q_SIGNALS:
    void changed();

private:
    void look();
    const scene::Layer* standing() const;

    Document& m_document;
    Selection& m_selection;
    std::shared_ptr<media::PixelCache> m_sources;
    std::optional<checks::Slip> m_slip;
    std::stop_source m_ended;
    bool m_running = false, m_again = false;
};

}
