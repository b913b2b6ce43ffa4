#include "desk/dialogs/frame_size.h"

#include "scene/scene.h"

#include <QHBoxLayout>
#include <QLabel>
#include <QSpinBox>

namespace stage::desk {

QSpinBox* pixelBox(int value) {
    auto* box = new QSpinBox;
    box->setRange(16, scene::Limits::frameSide);
    box->setValue(value);
    box->setSuffix(QObject::tr(" px"));
    return box;
}

QWidget* sizeRow(QWidget* width, QWidget* height) {
    auto* widget = new QWidget;
    auto* row = new QHBoxLayout(widget);
    row->setContentsMargins(0, 0, 0, 0);
    row->addWidget(width);
    row->addWidget(new QLabel(QStringLiteral("×")));
    row->addWidget(height);
    row->addStretch();
    return widget;
}

QString ReadySize::text() const {
    return QObject::tr("%1  %2 × %3").arg(name).arg(size.width()).arg(size.height());
}

std::vector<ReadySize> readySizes() {
    return {{QObject::tr("wide, high definition"), {1920, 1080}},
            {QObject::tr("wide, ultra high definition"), {3840, 2160}},
            {QObject::tr("wide, small"), {1280, 720}},
            {QObject::tr("square"), {1080, 1080}},
            {QObject::tr("vertical"), {1080, 1920}},
            {QObject::tr("portrait"), {1080, 1350}},
            {QObject::tr("cinema 1.85"), {1998, 1080}},
            {QObject::tr("cinema 2.39"), {2048, 858}},
            {QObject::tr("cinema 2.39, large"), {4096, 1716}}};
}

QStringList keepTexts() {
    return {QObject::tr("as much across as before"), QObject::tr("as much up and down as before"),
            QObject::tr("as much along its shorter side")};
}

}
