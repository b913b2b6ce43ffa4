#include "desk/dialog_form.h"

#include <QComboBox>
#include <QLabel>
#include <QPushButton>
#include <QSpinBox>
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

std::optional<edit::Edit> askEdit(Form& form, const scene::Scene& scene,
                                  const std::function<edit::Edit(QString& complaint)>& build) {
    edit::Edit edit;
    const auto check = [&] {
        QString complaint;
        edit = build(complaint);
        if (complaint.isEmpty())
            if (const auto tried = edit::apply(scene, edit); !tried)
                complaint = QString::fromStdString(tried.error().sentence);
        return complaint;
    };
    return form.run(check) ? std::optional(edit) : std::nullopt;
}

QComboBox* layerRow(Form& form, const scene::Scene& scene, const QString& name, const QString& first,
                    std::int64_t now, std::int64_t besides) {
    auto* box = new QComboBox;
    box->addItem(first, QVariant::fromValue<qlonglong>(0));
    scene::forEach(scene, [&](const scene::LayerPtr& layer, const auto&) {
        if (layer->id != besides)
            box->addItem(QString::fromStdString(layer->name), QVariant::fromValue<qlonglong>(layer->id));
    });
    box->setCurrentIndex(std::max(0, box->findData(QVariant::fromValue<qlonglong>(now))));
    form.layout->addRow(name, box);
    return box;
}

QSpinBox* seedRow(Form& form, const QString& name, std::int64_t now, const QString& tip) {
    constexpr int most = 1'000'000'000;
    auto* seed = new QSpinBox;
    seed->setRange(0, most);
    seed->setValue(static_cast<int>(std::clamp<std::int64_t>(now, 0, most)));
    seed->setAlignment(Qt::AlignRight);
    seed->setToolTip(tip);
    form.layout->addRow(name, seed);
    return seed;
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
