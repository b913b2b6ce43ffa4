// Sizes of frames, in dialogs.
#pragma once

#include <QSize>
#include <QString>
#include <QStringList>
#include <vector>

class QSpinBox;
class QWidget;

namespace stage::desk {

/// A side of a frame, px.
QSpinBox* pixelBox(int value);
/// Two of them with a cross between.
QWidget* sizeRow(QWidget* width, QWidget* height);

struct ReadySize {
    QString name;
    QSize size; ///< px
    /// Both.
    QString text() const;
};
std::vector<ReadySize> readySizes();

/// What a frame of another shape goes on seeing, in the order of scene::Keep.
QStringList keepTexts();

}
