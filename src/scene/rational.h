// Exact times and rates.
#pragma once

#include <algorithm>
#include <cmath>
#include <compare>
#include <cstdint>
#include <string>

namespace stage {

/// A reduced fraction with a positive denominator. Seconds, frames per second, or frames, as the name of
/// the variable says. Arithmetic is exact as long as the result fits into 64 bits and is rounded to the
/// microsecond where it does not; comparisons are always exact. Nothing overflows.
class Rational {
public:
    constexpr Rational() = default;
    /// Reduced; den is not 0.
    constexpr Rational(std::int64_t num, std::int64_t den = 1) : Rational(reduced(num, den)) {}

    /// To the microsecond, within a million seconds.
    static Rational nearest(double seconds) {
        if (!(seconds == seconds)) return {};
        return {std::llround(std::clamp(seconds, -1e6, 1e6) * 1e6), 1'000'000};
    }
    /// Itself, or where it is finer than a millionth, the nearest microsecond. Times are kept so, which keeps
    /// sums of them exact.
    Rational onGrid() const { return m_den <= 1'000'000 ? *this : nearest(toDouble()); }

    constexpr std::int64_t num() const { return m_num; }
    /// Above 0.
    constexpr std::int64_t den() const { return m_den; }
    constexpr double toDouble() const { return static_cast<double>(m_num) / static_cast<double>(m_den); }
    /// Largest whole number not above this.
    constexpr std::int64_t floor() const { return m_num / m_den - (m_num % m_den < 0 ? 1 : 0); }
    /// Smallest whole number not below this.
    constexpr std::int64_t ceil() const { return m_num / m_den + (m_num % m_den > 0 ? 1 : 0); }
    /// Nearest whole number, halves up.
    constexpr std::int64_t round() const { return (Rational(1, 2) + *this).floor(); }
    /// What is left of it within a period: of the same time of every period the same to the bit. Itself where
    /// there is none (0 or below).
    constexpr Rational within(Rational period) const {
        if (period.m_num <= 0) return *this;
        const Rational share = *this / period;
        return period * (share - Rational(share.floor()));
    }
    /// "24000/1001".
    std::string text() const { return std::to_string(m_num) + "/" + std::to_string(m_den); }

    friend constexpr Rational operator+(Rational a, Rational b) {
        return reduced(Wide{a.m_num} * b.m_den + Wide{b.m_num} * a.m_den, Wide{a.m_den} * b.m_den);
    }
    friend constexpr Rational operator-(Rational a, Rational b) {
        return reduced(Wide{a.m_num} * b.m_den - Wide{b.m_num} * a.m_den, Wide{a.m_den} * b.m_den);
    }
    friend constexpr Rational operator*(Rational a, Rational b) {
        return reduced(Wide{a.m_num} * b.m_num, Wide{a.m_den} * b.m_den);
    }
    friend constexpr Rational operator/(Rational a, Rational b) {
        return reduced(Wide{a.m_num} * b.m_den, Wide{a.m_den} * b.m_num);
    }
    friend constexpr bool operator==(Rational a, Rational b) {
        return a.m_num == b.m_num && a.m_den == b.m_den;
    }
    friend constexpr std::strong_ordering operator<=>(Rational a, Rational b) {
        return Wide{a.m_num} * b.m_den <=> Wide{b.m_num} * a.m_den;
    }

private:
    __extension__ typedef __int128 Wide;
    static constexpr Rational reduced(Wide num, Wide den) {
        if (den < 0) num = -num, den = -den;
        Wide a = num < 0 ? -num : num, b = den;
        while (b != 0) {
            const Wide rest = a % b;
            a = b, b = rest;
        }
        if (a > 1) num /= a, den /= a;
        constexpr Wide most = std::int64_t{1} << 62;
        if (num > most || num < -most || den > most) {
            const double value = static_cast<double>(num) / static_cast<double>(den);
            const double bounded = value > 1e12 ? 1e12 : value < -1e12 ? -1e12 : value;
            return reduced(static_cast<std::int64_t>(bounded * 1e6 + (bounded < 0 ? -0.5 : 0.5)), 1'000'000);
        }
        Rational result;
        result.m_num = static_cast<std::int64_t>(num), result.m_den = static_cast<std::int64_t>(den);
        return result;
    }

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
