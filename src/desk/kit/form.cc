#include "desk/kit/form.h"

#include "desk/look/theme.h"
#include "media/raster.h"

#include <QCheckBox>
#include <QColorDialog>
#include <QComboBox>
#include <QLabel>
#include <QPushButton>
#include <QToolButton>
#include <QVBoxLayout>
#include <algorithm>

namespace stage::desk {

void section(QVBoxLayout* layout, const QString& title, std::initializer_list<QWidget*> controls) {
    if (layout->count() > 0) layout->addSpacing(8);
    auto* label = new QLabel(title);
    label->setObjectName(QStringLiteral("section"));
    if (controls.size() == 0) return layout->addWidget(label);
    auto* row = new QHBoxLayout;
    row->addWidget(label);
    row->addStretch();
    for (QWidget* control : controls)
        row->addWidget(control);
    layout->addLayout(row);
}

void line(QVBoxLayout* layout, const QString& name, QWidget* what, int width) {
    auto* row = new QHBoxLayout;
    row->setContentsMargins(0, 0, 0, 0);
    auto* label = new QLabel(name);
    label->setObjectName(QStringLiteral("dim"));
    label->setBuddy(what);
    what->setAccessibleName(name);
    row->addWidget(label);
    row->addStretch();
    if (width) what->setFixedWidth(width);
    row->addWidget(what);
    layout->addLayout(row);
}

QComboBox* choice(QVBoxLayout* layout, const QString& name, const QStringList& names, int now,
                  const QString& tip) {
    auto* box = new QComboBox;
    box->addItems(names);
    box->setCurrentIndex(now);
    box->setToolTip(tip);
    line(layout, name, box, 118);
    return box;
}

QCheckBox* tick(QVBoxLayout* layout, const QString& name, bool on, const QString& tip) {
    auto* box = new QCheckBox(name);
    box->setChecked(on);
    box->setToolTip(tip);
    layout->addWidget(box);
    return box;
}

QToolButton* smallButton(const QString& icon, const QString& tip) {
    auto* button = new QToolButton;
    button->setObjectName(QStringLiteral("flat"));
    button->setIcon(theme::icon(icon));
    button->setToolTip(tip);
    button->setAccessibleName(tip);
    return button;
}

QColor shown(const scene::Colour& c) {
    const auto channel = [&](double v) {
        return std::clamp(media::srgbFromLinear(static_cast<float>(c.a > 0 ? v / c.a : 0)), 0.f, 1.f);
    };
    return QColor::fromRgbF(channel(c.r), channel(c.g), channel(c.b), static_cast<float>(std::min(c.a, 1.0)));
}

scene::Colour sceneColour(const QColor& colour) {
    const double a = colour.alphaF();
    return {media::linearFromSrgb(colour.redF()) * a, media::linearFromSrgb(colour.greenF()) * a,
            media::linearFromSrgb(colour.blueF()) * a, a};
}

void setSwatch(QPushButton* button, const scene::Colour& colour) {
    QPixmap pixmap(14, 14);
    pixmap.fill(shown(colour));
    button->setIcon(pixmap);
}

QPushButton* colourRow(QVBoxLayout* layout, const QString& name, std::function<scene::Colour()> now,
                       std::function<void(const scene::Colour&)> set) {
    auto* button = new QPushButton(QObject::tr("Choose"));
    line(layout, name, button, 118);
    QObject::connect(
        button, &QPushButton::clicked, button, [button, name, now = std::move(now), set = std::move(set)] {
            const QColor colour =
                QColorDialog::getColor(shown(now()), button->window(), name, QColorDialog::ShowAlphaChannel);
            if (colour.isValid()) set(sceneColour(colour));
        });
    return button;
}

}
