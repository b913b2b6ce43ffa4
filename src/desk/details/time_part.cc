#include "desk/details/time_part.h"

#include "desk/details/field_row.h"
#include "desk/kit/form.h"

#include <QVBoxLayout>
#include <algorithm>

namespace stage::desk {

TimePart::TimePart(Session& session, QWidget* parent) : QWidget(parent), m_session(session) {
    using scene::Measured;
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(4);
    section(layout, tr("Time"));
    const auto seconds = [&](const QString& name, const QString& tip) {
        return field(m_session, layout, name, Measured::Plain, QStringLiteral("s"), 2, 0.25, tip);
    };
    const auto metres = [&](const QString& name, const QString& tip) {
        return field(m_session, layout, name, Measured::Length, QStringLiteral("m"), 2, 0.1, tip);
    };
    m_in = seconds(tr("In"), tr("Seconds; from then on it shows. 0: from the start"));
    m_out = seconds(tr("Out"), tr("Seconds; until then it shows. The end: to the end"));
    m_fadeIn = seconds(tr("Fade in"), tr("Seconds over which it comes"));
    m_fadeOut = seconds(tr("Fade out"), tr("Seconds over which it goes"));
    m_nearGone =
        metres(tr("Near: gone"), tr("Metres from the lens at which it has gone, as the camera comes near"));
    m_nearFull = metres(tr("Near: full"),
                        tr("Metres from the lens from which on it is all there. 0: it does not fade near"));
    m_farFull = metres(tr("Far: full"), tr("Metres from the lens up to which it is all there"));
    m_farGone =
        metres(tr("Far: gone"), tr("Metres from the lens at which it has gone. 0: it does not fade far"));
    connect(m_in, &NumberField::entered, this, [this](double v) {
        m_session.document.apply(
            edit::onLayers("showing", m_session.selection.layers(),
                           {{"in", v > 0 ? edit::Edit(Rational::nearest(v).text()) : edit::Edit(nullptr)}}));
    });
    connect(m_out, &NumberField::entered, this, [this](double v) {
        const bool always = v <= 0 || v >= scene::lastTime(*m_session.scene()).toDouble();
        m_session.document.apply(edit::onLayers(
            "showing", m_session.selection.layers(),
            {{"out", always ? edit::Edit(nullptr) : edit::Edit(Rational::nearest(v).text())}}));
    });
    connect(m_fadeIn, &NumberField::entered, this, [this](double v) { set("fadeIn", v); });
    connect(m_fadeOut, &NumberField::entered, this, [this](double v) { set("fadeOut", v); });
    const auto near = [this] {
        const double gone = std::max(0.0, m_nearGone->value()), full = m_nearFull->value();
        m_session.document.apply(edit::onLayers("showing", m_session.selection.layers(),
                                                {{"near", {gone, full > 0 ? std::max(gone, full) : gone}}}));
    };
    const auto far = [this] {
        const double full = std::max(0.0, m_farFull->value()), gone = m_farGone->value();
        m_session.document.apply(
            edit::onLayers("showing", m_session.selection.layers(),
                           {{"far", {gone > 0 ? std::min(full, gone) : full, std::max(gone, 0.0)}}}));
    };
    connect(m_nearGone, &NumberField::entered, this, near);
    connect(m_nearFull, &NumberField::entered, this, near);
    connect(m_farFull, &NumberField::entered, this, far);
    connect(m_farGone, &NumberField::entered, this, far);
}

void TimePart::set(const char* member, double seconds) {
    m_session.document.apply(edit::onLayers("showing", m_session.selection.layers(),
                                            {{member, Rational::nearest(std::max(0.0, seconds)).text()}}));
}

void TimePart::refresh() {
    const scene::LayerPath found = m_session.selection.only();
    setVisible(found.layer != nullptr);
    if (!found.layer) return;
    const scene::Showing& showing = found.layer->showing;
    m_in->setValue(showing.in.value_or(Rational(0)).toDouble());
    m_out->setValue(showing.out.value_or(scene::lastTime(*m_session.scene())).toDouble());
    m_fadeIn->setValue(showing.fadeIn.toDouble());
    m_fadeOut->setValue(showing.fadeOut.toDouble());
    m_nearGone->setValue(showing.nearGone);
    m_nearFull->setValue(showing.nearFull);
    m_farFull->setValue(showing.farFull);
    m_farGone->setValue(showing.farGone);
}

}
