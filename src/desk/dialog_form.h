// What all dialogs of the desk are made of: named rows, a complaint, two buttons.
#pragma once

#include "desk/number_field.h"

#include <QDialog>
#include <QDialogButtonBox>
#include <QFormLayout>
#include <functional>

namespace stage::desk {

struct Form {
    QDialog dialog;
    QFormLayout* layout;
    QDialogButtonBox* buttons;

    Form(QWidget* parent, const QString& title, const QString& ok);
    /// Until it is cancelled or check() gives no complaint.
    bool run(const std::function<QString()>& check = [] { return QString(); });
};

/// A row for a number, with its accessible name.
NumberField* number(Form& form, const QString& name, scene::Measured measured, const QString& unit,
                    int decimals, double step, double value, const QString& tip);
/// What a field says now, also when it was not entered; a sentence is added to the complaint.
double read(NumberField* field, QString& complaint);

}
