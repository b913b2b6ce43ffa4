// Rows of the panels at the side: a name, and what is set.
#pragma once

#include "scene/colour.h"

#include <QColor>
#include <QString>
#include <QStringList>
#include <functional>
#include <initializer_list>

class QCheckBox;
class QComboBox;
class QPushButton;
class QToolButton;
class QVBoxLayout;
class QWidget;

namespace stage::desk {

/// A heading with controls at its right.
void section(QVBoxLayout* layout, const QString& title, std::initializer_list<QWidget*> controls = {});
/// A named row; width 0: as wide as it wants to be.
void line(QVBoxLayout* layout, const QString& name, QWidget* what, int width);
QComboBox* choice(QVBoxLayout* layout, const QString& name, const QStringList& names, int now,
                  const QString& tip);
QCheckBox* tick(QVBoxLayout* layout, const QString& name, bool on, const QString& tip);
QToolButton* smallButton(const QString& icon, const QString& tip);

/// A scene's colour as the screen shows it, straight, and back.
QColor shown(const scene::Colour& colour);
scene::Colour sceneColour(const QColor& colour);
/// Shows the colour on a button.
void setSwatch(QPushButton* button, const scene::Colour& colour);
/// A button that shows a colour and asks for another.
QPushButton* colourRow(QVBoxLayout* layout, const QString& name, std::function<scene::Colour()> now,
                       std::function<void(const scene::Colour&)> set);

}
