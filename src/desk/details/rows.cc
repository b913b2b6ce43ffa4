#include "desk/details/rows.h"

#include "desk/kit/form.h"

#include <QCheckBox>
#include <QComboBox>
#include <QLabel>
#include <QPushButton>
#include <QVBoxLayout>

namespace stage::desk {
namespace {

constexpr int fieldWidth = 118;

}

NumberStyle plain(const QString& unit, int decimals, double step) {
    return {scene::Measured::Plain, unit, decimals, step};
}
NumberStyle metres(double step) {
    return {scene::Measured::Length, QStringLiteral("m"), 2, step};
}

NumberStyle degrees(double step, int decimals) {
    return {scene::Measured::Angle, QStringLiteral("°"), decimals, step};
}

NumberStyle percent(double step, int decimals) {
    return {scene::Measured::Percent, QStringLiteral("%"), decimals, step};
}

Rows::Rows(Session& session, QWidget* part) : m_session(session), m_layout(new QVBoxLayout(part)) {
    m_layout->setContentsMargins(0, 0, 0, 0);
    m_layout->setSpacing(4);
}

void Rows::refresh() {
    for (const auto& show : m_shown)
        show();
}

void Rows::section(const QString& title) {
    desk::section(m_layout, title);
}

NumberField* Rows::entry(const QString& name, const NumberStyle& style, const QString& tip,
                         std::function<void(double)> set) {
    auto* field = new NumberField(style.measured, style.unit, style.decimals, style.step);
    field->setToolTip(tip);
    line(m_layout, name, field, fieldWidth);
    QObject::connect(field, &NumberField::misread, &m_session, &Session::problem);
    if (set) QObject::connect(field, &NumberField::entered, field, std::move(set));
    return field;
}

NumberField* Rows::number(const QString& name, const NumberStyle& style, const QString& tip,
                          std::function<double()> now, std::function<void(double)> set) {
    NumberField* field = entry(name, style, tip, std::move(set));
    onRefresh([field, now = std::move(now)] { field->setValue(now()); });
    return field;
}

NumberField* Rows::share(const QString& name, const NumberStyle& style, const QString& tip,
                         std::function<double()> now, std::function<void(double)> set) {
    return number(
        name, style, tip, [now = std::move(now)] { return 100 * now(); },
        [set = std::move(set)](double v) { set(v / 100); });
}

QLabel* Rows::reading(const QString& name, const QString& tip, std::function<QString()> now) {
    auto* label = new QLabel;
    label->setObjectName(QStringLiteral("figure"));
    label->setToolTip(tip);
    line(m_layout, name, label, 0);
    onRefresh([label, now = std::move(now)] { label->setText(now()); });
    return label;
}

QComboBox* Rows::choice(const QString& name, const QStringList& names, const QString& tip,
                        std::function<int()> now, std::function<void(int)> set) {
    QComboBox* box = desk::choice(m_layout, name, names, 0, tip);
    QObject::connect(box, &QComboBox::activated, box, std::move(set));
    onRefresh([box, now = std::move(now)] { box->setCurrentIndex(now()); });
    return box;
}

QComboBox* Rows::which(const QString& tip, std::function<int()> count, std::function<void()> changed) {
    auto* box = new QComboBox;
    box->setToolTip(tip);
    line(m_layout, QObject::tr("Which"), box, fieldWidth);
    QObject::connect(box, &QComboBox::activated, box, std::move(changed));
    onRefresh([box, count = std::move(count)] {
        const QSignalBlocker quiet(box);
        const int now = std::max(0, box->currentIndex()), all = count();
        box->clear();
        for (int i = 0; i < all; ++i)
            box->addItem(QObject::tr("%1 of %2").arg(i + 1).arg(all));
        box->addItem(all == 0 ? QObject::tr("none yet") : QObject::tr("another"));
        box->setCurrentIndex(std::min(now, all));
    });
    return box;
}

QCheckBox* Rows::tick(const QString& name, const QString& tip, std::function<bool()> now,
                      std::function<void(bool)> set) {
    QCheckBox* box = desk::tick(m_layout, name, false, tip);
    QObject::connect(box, &QCheckBox::clicked, box, std::move(set));
    onRefresh([box, now = std::move(now)] { box->setChecked(now()); });
    return box;
}

QPushButton* Rows::colour(const QString& name, std::function<scene::Colour()> now,
                          std::function<void(const scene::Colour&)> set) {
    QPushButton* button = colourRow(m_layout, name, now, std::move(set));
    onRefresh([button, now = std::move(now)] { setSwatch(button, now()); });
    return button;
}

QLabel* Rows::note(const char* style, std::function<QString()> now) {
    auto* label = new QLabel;
    label->setObjectName(QLatin1String(style));
    label->setWordWrap(true);
    m_layout->addWidget(label);
    onRefresh([label, now = std::move(now)] {
        const QString text = now();
        label->setText(text);
        label->setVisible(!text.isEmpty());
    });
    return label;
}

}
