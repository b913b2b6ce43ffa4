// A field for a quantity: takes arithmetic and units, steps with the arrow keys and the wheel.
#pragma once

#include "scene/quantity.h"

#include <QLineEdit>
#include <vector>

namespace stage::desk {

class NumberField : public QLineEdit {
    Q_OBJECT
public:
    /// unit: what is shown behind the number; step: what one press of an arrow key adds.
    NumberField(scene::Measured measured, QString unit, int decimals, double step, QWidget* parent = nullptr);
    void setValue(double value);
    void setUnit(const QString& unit);
    double value() const { return m_value; }
    /// What it says now, also when it was not entered; or a sentence.
    Result<double> written() const;
    /// The wheel goes from one of these, in order, to the next; keys go on stepping.
    void setStops(std::vector<double> stops) { m_stops = std::move(stops); }

Q_SIGNALS:
    void entered(double value);
    void misread(const QString& sentence);

protected:
    void keyPressEvent(QKeyEvent* event) override;
    void wheelEvent(QWheelEvent* event) override;
    void focusOutEvent(QFocusEvent* event) override;

private:
    void read();
    void display();
    void stepBy(double steps);
    scene::Measured m_measured;
    QString m_unit;
    int m_decimals;
    std::vector<double> m_stops;
    double m_step, m_value = 0;
};

/// Focal lengths of common prime lenses, mm, and full f-stops.
std::vector<double> primes();
std::vector<double> fullStops();

/// A number as the desk writes it: fixed decimals, a typographic minus.
QString figure(double value, int decimals);

}
