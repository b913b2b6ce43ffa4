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

}
