// Exact times and rates.
#pragma once

#include <algorithm>
#include <cmath>
#include <compare>
#include <cstdint>
#include <numeric>
#include <string>

namespace stage {

/// A reduced fraction with a positive denominator. Seconds, frames per second, or frames, as the name of
/// the variable says. Values made from scene files are within +-1e9 / 1e9, so comparisons cannot overflow.
class Rational {
public:
    constexpr Rational() = default;
    constexpr Rational(std::int64_t num, std::int64_t den = 1) : m_num(num), m_den(den) {
        if (m_den < 0) {
            m_num = -m_num;
            m_den = -m_den;
        }
        const std::int64_t g = std::gcd(m_num, m_den);
        if (g > 1) {
            m_num /= g;
            m_den /= g;
        }
    }

    /// To the microsecond, within a million seconds.
    static Rational nearest(double seconds) {
        return {std::llround(std::clamp(seconds, -1e6, 1e6) * 1e6), 1'000'000};
    }

    constexpr std::int64_t num() const { return m_num; }
    constexpr std::int64_t den() const { return m_den; }
    constexpr double toDouble() const { return static_cast<double>(m_num) / static_cast<double>(m_den); }
    /// Largest whole number not above this.
    constexpr std::int64_t floor() const {
        return m_num >= 0 ? m_num / m_den : -((-m_num + m_den - 1) / m_den);
    }
    /// Smallest whole number not below this.
    constexpr std::int64_t ceil() const { return -Rational(-m_num, m_den).floor(); }
    /// Nearest whole number, halves up.
    constexpr std::int64_t round() const { return (Rational(1, 2) + *this).floor(); }
    std::string text() const { return std::to_string(m_num) + "/" + std::to_string(m_den); }

    friend constexpr Rational operator+(Rational a, Rational b) {
        return {a.m_num * b.m_den + b.m_num * a.m_den, a.m_den * b.m_den};
    }
    friend constexpr Rational operator-(Rational a, Rational b) { return a + Rational(-b.m_num, b.m_den); }
    friend constexpr Rational operator*(Rational a, Rational b) {
        return {a.m_num * b.m_num, a.m_den * b.m_den};
    }
    friend constexpr Rational operator/(Rational a, Rational b) {
        return {a.m_num * b.m_den, a.m_den * b.m_num};
    }
    friend constexpr bool operator==(Rational a, Rational b) {
        return a.m_num == b.m_num && a.m_den == b.m_den;
    }
    friend constexpr std::strong_ordering operator<=>(Rational a, Rational b) {
        return a.m_num * b.m_den <=> b.m_num * a.m_den;
    }

private:
    std::int64_t m_num = 0;
    std::int64_t m_den = 1;
};

/// Time in seconds at which a frame is shown. rate: frames per second, above 0.
constexpr Rational timeOfFrame(std::int64_t frame, Rational rate) {
    return Rational(frame) / rate;
}
/// The frame nearest to a time in seconds.
constexpr std::int64_t frameAt(Rational seconds, Rational rate) {
    return (seconds * rate).round();
}

}
