#include "desk/details/field_row.h"

#include "desk/kit/form.h"

#include <QVBoxLayout>

namespace stage::desk {

NumberField* field(Session& session, QVBoxLayout* layout, const QString& name, scene::Measured measured,
                   const QString& unit, int decimals, double step, const QString& tip) {
    auto* number = new NumberField(measured, unit, decimals, step);
    number->setToolTip(tip);
    line(layout, name, number, 118);
    QObject::connect(number, &NumberField::misread, &session, &Session::problem);
    return number;
}

}
