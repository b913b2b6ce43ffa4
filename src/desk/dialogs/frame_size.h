// Rows for a size in px, in dialogs.
#pragma once

class QSpinBox;
class QWidget;

namespace stage::desk {

/// A side of a frame, px.
QSpinBox* pixelBox(int value);
/// Two of them with a cross between.
QWidget* sizeRow(QWidget* width, QWidget* height);

}
