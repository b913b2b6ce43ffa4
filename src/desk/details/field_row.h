// A row of the details in which a number is set.
#pragma once

#include "desk/kit/number_field.h"
#include "desk/session/session.h"

class QVBoxLayout;

namespace stage::desk {

/// A number; what cannot be read of it is told as a problem of the session.
NumberField* field(Session& session, QVBoxLayout* layout, const QString& name, scene::Measured measured,
                   const QString& unit, int decimals, double step, const QString& tip);

}
