// Questions that are not answered by accident.
#pragma once

#include <QString>
#include <QStringList>
#include <optional>

class QWidget;

namespace stage::desk {

/// Asks until one of the answers is chosen; Enter chooses the first, which loses nothing; Esc and closing
/// choose the last one, which changes nothing. Keys
/// that were on their way as the question came up do not answer it. Gives the number of the answer.
int ask(QWidget* parent, const QString& title, const QString& text, const QStringList& answers);

/// A line of text, trimmed, or a whole number; nothing where it is cancelled.
std::optional<QString> askForText(QWidget* parent, const QString& title, const QString& label,
                                  const QString& text = {});
struct WholeNumbers {
    int least, most, step;
};
std::optional<int> askForNumber(QWidget* parent, const QString& title, const QString& label, int value,
                                WholeNumbers allowed);

}
