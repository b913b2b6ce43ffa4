// What all dialogs of the desk are made of: named rows, a complaint, two buttons.
#pragma once

#include "desk/number_field.h"
#include "edit/edit.h"

#include <QDialog>
#include <QDialogButtonBox>
#include <QFormLayout>
#include <functional>
#include <optional>

class QComboBox;
class QSpinBox;

namespace stage::desk {

struct Form {
    QDialog dialog;
    QFormLayout* layout;
    QDialogButtonBox* buttons;

    Form(QWidget* parent, const QString& title, const QString& ok);
    /// Until it is cancelled or check() gives no complaint.
    bool run(const std::function<QString()>& check = [] { return QString(); });
};

/// The edit that build() makes of the rows, once the scene takes it; build adds a sentence to the complaint
/// where it cannot. Nothing when it is cancelled.
std::optional<edit::Edit> askEdit(Form& form, const scene::Scene& scene,
                                  const std::function<edit::Edit(QString& complaint)>& build);
/// A row in which a layer is chosen, or what `first` names (0). besides: left out.
QComboBox* layerRow(Form& form, const scene::Scene& scene, const QString& name, const QString& first,
                    std::int64_t now, std::int64_t besides = 0);
/// A row for the number that chance begins with.
QSpinBox* seedRow(Form& form, const QString& name, std::int64_t now, const QString& tip);
/// A row for a number, with its accessible name.
NumberField* number(Form& form, const QString& name, scene::Measured measured, const QString& unit,
                    int decimals, double step, double value, const QString& tip);
/// What a field says now, also when it was not entered; a sentence is added to the complaint.
double read(NumberField* field, QString& complaint);

}
