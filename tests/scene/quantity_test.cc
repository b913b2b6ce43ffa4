#include "scene/quantity.h"

#include <gtest/gtest.h>

namespace stage::scene {
namespace {

struct Case {
    const char* text;
    Measured measured;
    double value;
};

TEST(Quantity, ArithmeticAndUnits) {
    const Case table[] = {
        {"12", Measured::Length, 12},
        {"1.2m+30cm", Measured::Length, 1.5},
        {"1.2 m + 30 cm", Measured::Length, 1.5},
        {"2*(3-1)", Measured::Plain, 4},
        {"-3", Measured::Length, -3},
        {"\xE2\x88\x92"
         "3",
         Measured::Length, -3},
        {"10 ft", Measured::Length, 3.048},
        {"(1+1) ft", Measured::Length, 0.6096},
        {"1/4", Measured::Plain, 0.25},
        {"3,5", Measured::Length, 3.5},
        {"180/3°", Measured::Angle, 60},
        {"3.5cm", Measured::Focal, 35},
        {"50 %", Measured::Percent, 50},
        {"500mm", Measured::Length, 0.5},
    };
    for (const Case& c : table) {
        const auto value = quantity(c.text, c.measured);
        ASSERT_TRUE(value) << c.text << ": " << value.error().sentence;
        EXPECT_NEAR(*value, c.value, 1e-12) << c.text;
    }
}

TEST(Quantity, Nonsense) {
    for (const char* text : {"", "m", "1++", "1/0", "(1", "1 2", "1kg", "1e5", "nan", "--", "."})
        EXPECT_FALSE(quantity(text, Measured::Length)) << text;
    EXPECT_FALSE(quantity(std::string(100'000, '('), Measured::Plain));
    EXPECT_FALSE(quantity(std::string(100'000, '-') + "1", Measured::Plain));
}

TEST(Timecode, ThereAndBack) {
    EXPECT_EQ(timecode(82, Rational(24)), "00:03:10");
    EXPECT_EQ(timecode(144, Rational(24)), "00:06:00");
    for (const Rational rate : {Rational(24), Rational(24000, 1001), Rational(30000, 1001), Rational(25)})
        for (std::int64_t frame = 0; frame < 4000; frame += 7)
            EXPECT_EQ(*frameFromText(timecode(frame, rate), rate), frame) << rate.text();
    EXPECT_EQ(*frameFromText("2.5s", Rational(24)), 60);
    EXPECT_EQ(*frameFromText("99", Rational(24)), 99);
    EXPECT_FALSE(frameFromText("1:2:3:4", Rational(24)));
    EXPECT_FALSE(frameFromText("a:b", Rational(24)));
}

TEST(RationalNumbers, TimesOfEveryPeriodAreAlike) {
    const Rational period(7, 3);
    for (const std::int64_t round : {-2, 0, 1, 1000})
        EXPECT_EQ((Rational(5, 4) + period * Rational(round)).within(period), Rational(5, 4)) << round;
    EXPECT_EQ(period.within(period), Rational(0));
    EXPECT_EQ(Rational(-1, 24).within(period), period - Rational(1, 24));
    EXPECT_EQ(Rational(9).within(Rational(0)), Rational(9));
}

TEST(RationalNumbers, FloorRoundAndCompare) {
    EXPECT_EQ(Rational(-1, 3).floor(), -1);
    EXPECT_EQ(Rational(7, 2).round(), 4);
    EXPECT_EQ(Rational(2, -4), Rational(-1, 2));
    EXPECT_LT(Rational(1, 3), Rational(34, 100));
    EXPECT_EQ(frameAt(timeOfFrame(1001, Rational(24000, 1001)), Rational(24000, 1001)), 1001);
}

}
}
