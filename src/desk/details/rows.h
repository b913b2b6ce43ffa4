// The rows of a part of the details: each has a name, shows something of what is selected, and sets it.
// Interface thread.
#pragma once

#include "desk/kit/number_field.h"
#include "desk/session/session.h"

#include <functional>

class QCheckBox;
class QComboBox;
class QLabel;
class QPushButton;
class QVBoxLayout;
class QWidget;

namespace stage::desk {

/// How a number is written and stepped.
struct NumberStyle {
    scene::Measured measured = scene::Measured::Plain;
    QString unit;
    int decimals = 2;
    double step = 1; ///< of one press of an arrow key
};
NumberStyle plain(const QString& unit, int decimals, double step);
NumberStyle metres(double step);
NumberStyle degrees(double step, int decimals = 1);
NumberStyle percent(double step, int decimals = 0);

class Rows {
public:
    /// Of a part, which gets a layout.
    Rows(Session& session, QWidget* part);
    /// Shows all rows anew; `now` of each is asked only then.
    void refresh();
    void onRefresh(std::function<void()> show) { m_shown.push_back(std::move(show)); }

    QVBoxLayout* layout() { return m_layout; }
    void section(const QString& title);
    /// What cannot be read of it is told as a problem of the session.
    NumberField* number(const QString& name, const NumberStyle& style, const QString& tip,
                        std::function<double()> now, std::function<void(double)> set);
    /// A number that is not of the scene: it stays as it is written until something reads it.
    NumberField* entry(const QString& name, const NumberStyle& style, const QString& tip,
                       std::function<void(double)> set = {});
    /// Rows of these numbers have 1 for what is shown as 100.
    NumberField* share(const QString& name, const NumberStyle& style, const QString& tip,
                       std::function<double()> now, std::function<void(double)> set);
    QLabel* reading(const QString& name, const QString& tip, std::function<QString()> now);
    /// now: the index chosen; -1: none.
    QComboBox* choice(const QString& name, const QStringList& names, const QString& tip,
                      std::function<int()> now, std::function<void(int)> set);
    /// Which of several things the rows below it are about, or a new one after them; changed: another is
    /// chosen.
    QComboBox* which(const QString& tip, std::function<int()> count, std::function<void()> changed);
    QCheckBox* tick(const QString& name, const QString& tip, std::function<bool()> now,
                    std::function<void(bool)> set);
    QPushButton* colour(const QString& name, std::function<scene::Colour()> now,
                        std::function<void(const scene::Colour&)> set);
    /// A text over the whole width; an empty one is hidden. style: an object name, "dim" or "warning".
    QLabel* note(const char* style, std::function<QString()> now);

private:
    Session& m_session;
    QVBoxLayout* m_layout;
    std::vector<std::function<void()>> m_shown;
};

}
