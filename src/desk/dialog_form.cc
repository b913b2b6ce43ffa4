#include "desk/dialog_form.h"

#include <QLabel>
#include <QPushButton>
#include <QVBoxLayout>

namespace stage::desk {

Form::Form(QWidget* parent, const QString& title, const QString& ok) : dialog(parent) {
    dialog.setWindowTitle(title);
    dialog.setMinimumWidth(420);
    auto* outer = new QVBoxLayout(&dialog);
    outer->setContentsMargins(18, 16, 18, 14);
    outer->setSpacing(14);
    layout = new QFormLayout;
    layout->setHorizontalSpacing(16);
    layout->setVerticalSpacing(8);
    outer->addLayout(layout);
    buttons = new QDialogButtonBox(QDialogButtonBox::Ok | QDialogButtonBox::Cancel);
    buttons->button(QDialogButtonBox::Ok)->setText(ok);
    outer->addWidget(buttons);
    QObject::connect(buttons, &QDialogButtonBox::accepted, &dialog, &QDialog::accept);
    QObject::connect(buttons, &QDialogButtonBox::rejected, &dialog, &QDialog::reject);
}

bool Form::run(const std::function<QString()>& check) {
    auto* complaint = new QLabel;
    complaint->setObjectName(QStringLiteral("warning"));
    complaint->setWordWrap(true);
    complaint->hide();
    layout->addRow(complaint);
    while (dialog.exec() == QDialog::Accepted) {
        const QString problem = check();
        if (problem.isEmpty()) return true;
        complaint->setText(problem);
        complaint->show();
    }
    return false;
}

NumberField* number(Form& form, const QString& name, scene::Measured measured, const QString& unit,
                    int decimals, double step, double value, const QString& tip) {
    auto* field = new NumberField(measured, unit, decimals, step);
    field->setObjectName(QStringLiteral("figure"));
    field->setValue(value);
    field->setToolTip(tip);
    field->setAccessibleName(name);
    form.layout->addRow(name, field);
    return field;
}

double read(NumberField* field, QString& complaint) {
    const auto value = field->written();
    if (!value && complaint.isEmpty()) complaint = QString::fromStdString(value.error().sentence);
    return value ? *value : 0;
}

}
