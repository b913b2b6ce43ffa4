#include "desk/kit/dialog_form.h"

#include <QCheckBox>
#include <QComboBox>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QSpinBox>
#include <QTimer>
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
    QObject::connect(buttons, &QDialogButtonBox::rejected, &dialog, &QDialog::reject);
    m_settled.setSingleShot(true);
    m_settled.setInterval(60);
    QObject::connect(&m_settled, &QTimer::timeout, &dialog, [this] {
        if (m_previewer) show();
    });
}

namespace {

/// Connects the signal of a widget and of those inside it that are of a kind.
template <class Kind, class Signal, class Then>
void connectAll(QWidget* widget, Signal signal, QObject* with, Then then) {
    QList<Kind*> all = widget->findChildren<Kind*>();
    if (auto* own = qobject_cast<Kind*>(widget)) all << own;
    for (Kind* each : all)
        QObject::connect(each, signal, with, then);
}

}

void Form::follow(QWidget* widget) {
    const auto then = [this] { changed(); };
    connectAll<QComboBox>(widget, &QComboBox::currentIndexChanged, &m_settled, then);
    connectAll<QSpinBox>(widget, &QSpinBox::valueChanged, &m_settled, then);
    connectAll<QDoubleSpinBox>(widget, &QDoubleSpinBox::valueChanged, &m_settled, then);
    connectAll<QCheckBox>(widget, &QCheckBox::toggled, &m_settled, then);
    connectAll<QLineEdit>(widget, &QLineEdit::textChanged, &m_settled, then);
}

void Form::showLive(Previewer previewer, std::function<edit::Edit(QString& complaint)> build) {
    if (!previewer) return;
    m_previewer = std::move(previewer);
    m_build = std::move(build);
    follow(&dialog);
    changed();
    // At the lower right, beside what it changes.
    if (const QWidget* parent = dialog.parentWidget()) {
        const QRect window = parent->window()->geometry();
        dialog.adjustSize();
        dialog.move(window.right() - dialog.width() - 16, window.bottom() - dialog.height() - 40);
    }
}

void Form::show() {
    QString complaint;
    const edit::Edit edit = m_build(complaint);
    if (complaint.isEmpty()) m_previewer(&edit);
}

bool Form::run(const std::function<QString()>& check) {
    auto* complaint = new QLabel;
    complaint->setObjectName(QStringLiteral("warning"));
    complaint->setWordWrap(true);
    complaint->hide();
    layout->addRow(complaint);
    for (int row = 0; row < layout->rowCount(); ++row) {
        const QLayoutItem* item = layout->itemAt(row, QFormLayout::FieldRole);
        QWidget* field = item ? item->widget() : nullptr;
        if (!field || !layout->isRowVisible(row) || !field->isEnabled()) continue;
        if (!(field->focusPolicy() & Qt::TabFocus))
            for (QWidget* inside : field->findChildren<QWidget*>())
                if (inside->focusPolicy() & Qt::TabFocus) {
                    field = inside;
                    break;
                }
        if (!(field->focusPolicy() & Qt::TabFocus)) continue;
        field->setFocus();
        if (auto* text = qobject_cast<QLineEdit*>(field)) text->selectAll();
        break;
    }
    bool good = false;
    const auto judge = [&] {
        const QString problem = check();
        good = problem.isEmpty();
        complaint->setText(problem);
        complaint->setVisible(!good);
        return good;
    };
    // With a complaint it stays as it is, where it is.
    QObject::connect(buttons, &QDialogButtonBox::accepted, &dialog, [&] {
        if (judge()) dialog.accept();
    });
    while (!good && dialog.exec() == QDialog::Accepted)
        if (!good) judge();
    if (m_previewer) m_previewer(nullptr);
    return good;
}

std::optional<edit::Edit> askEdit(Form& form, const scene::Scene& scene,
                                  const std::function<edit::Edit(QString& complaint)>& build,
                                  const Previewer& previewer) {
    form.showLive(previewer, build);
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
                    std::int64_t now, const std::vector<std::int64_t>& besides) {
    auto* box = new QComboBox;
    box->addItem(first, QVariant::fromValue<qlonglong>(0));
    scene::forEach(scene, [&](const scene::LayerPtr& layer, const auto&) {
        if (std::find(besides.begin(), besides.end(), layer->id) == besides.end())
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
