#include "desk/kit/number_field.h"

#include "desk/look/theme.h"

#include <QKeyEvent>
#include <QStyle>
#include <algorithm>

namespace stage::desk {

QString figure(double value, int decimals) {
    QString text = QString::number(value, 'f', decimals);
    if (text.toDouble() == 0 && text.startsWith(QLatin1Char('-'))) text.remove(0, 1);
    return text.replace(QLatin1Char('-'), QChar(0x2212));
}

std::vector<double> primes() {
    return {14, 18, 21, 24, 28, 35, 40, 50, 65, 75, 85, 100, 135, 180, 200, 300};
}

std::vector<double> fullStops() {
    return {1, 1.4, 2, 2.8, 4, 5.6, 8, 11, 16, 22, 32};
}

NumberField::NumberField(scene::Measured measured, QString unit, int decimals, double step, QWidget* parent)
    : QLineEdit(parent), m_measured(measured), m_unit(std::move(unit)), m_decimals(decimals), m_step(step) {
    setObjectName(QStringLiteral("figure"));
    setProperty("figures", true);
    setAlignment(Qt::AlignRight);
    connect(this, &QLineEdit::returnPressed, this, &NumberField::read);
    connect(this, &QLineEdit::textEdited, this, [this] {
        if (property("wrong").toBool()) {
            setProperty("wrong", false);
            style()->polish(this);
        }
    });
    display();
}

void NumberField::display() {
    setText(figure(m_value, m_decimals) + (m_unit.isEmpty() ? QString() : QLatin1Char(' ') + m_unit));
}

void NumberField::setValue(double value) {
    m_value = value;
    if (!(hasFocus() && isModified())) display(); // never while someone types
}

void NumberField::setUnit(const QString& unit) {
    if (unit == m_unit) return;
    m_unit = unit;
    if (!isModified()) display();
}

Result<double> NumberField::written() const {
    QString plain = text();
    // A plain number knows no units but the one that is shown behind it.
    if (m_measured == scene::Measured::Plain && !m_unit.isEmpty() && plain.endsWith(m_unit))
        plain.chop(m_unit.size());
    return scene::quantity(plain.toStdString(), m_measured);
}

void NumberField::read() {
    const auto value = written();
    if (!value) {
        setProperty("wrong", true);
        style()->polish(this);
        Q_EMIT misread(QString::fromStdString(value.error().sentence));
        return;
    }
    setModified(false);
    m_value = *value;
    display();
    selectAll();
    Q_EMIT entered(*value);
}

void NumberField::stepBy(double steps) {
    m_value += steps * m_step;
    setModified(false);
    display();
    selectAll();
    Q_EMIT entered(m_value);
}

void NumberField::keyPressEvent(QKeyEvent* event) {
    const double factor = event->modifiers() & Qt::ShiftModifier     ? 10
                          : event->modifiers() & Qt::ControlModifier ? 0.1
                                                                     : 1;
    if (event->key() == Qt::Key_Up)
        stepBy(factor);
    else if (event->key() == Qt::Key_Down)
        stepBy(-factor);
    else if (event->key() == Qt::Key_Escape) {
        setProperty("wrong", false);
        style()->polish(this);
        setModified(false);
        display();
        selectAll();
    } else
        QLineEdit::keyPressEvent(event);
}

void NumberField::wheelEvent(QWheelEvent* event) {
    if (!hasFocus()) return event->ignore(); // a panel that scrolls must not change numbers on the way
    const int way = event->angleDelta().y();
    if (m_stops.empty() || way == 0) {
        stepBy(way / 120.0);
    } else if (way > 0) {
        const auto next = std::upper_bound(m_stops.begin(), m_stops.end(), m_value * (1 + 1e-9));
        if (next != m_stops.end()) stepBy((*next - m_value) / m_step);
    } else {
        const auto next = std::lower_bound(m_stops.begin(), m_stops.end(), m_value * (1 - 1e-9));
        if (next != m_stops.begin()) stepBy((*(next - 1) - m_value) / m_step);
    }
    event->accept();
}

void NumberField::focusOutEvent(QFocusEvent* event) {
    if (isModified()) read();
    QLineEdit::focusOutEvent(event);
}

}
