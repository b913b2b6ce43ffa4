// How the colours of a layer, of a group or of the whole picture are changed.
#pragma once

#include "scene/geometry.h"

#include <array>
#include <memory>
#include <string>
#include <string_view>
#include <vector>

namespace stage::scene {

/// A file of colours (`.cube`, `.cdl`, `.cc`, `.ccc`) that a grade ends with.
struct Look {
    std::string path; ///< absolute in memory; empty: none
    std::string part; ///< the id of the correction meant, of a file that has several; empty: the first
    /// What the file's numbers are meant for: values as they are shown (sRGB-encoded), or light.
    enum class Values { Shown, Light };
    Values values = Values::Shown;
    double strength = 1; ///< how much of it, 0..1
    bool operator==(const Look&) const = default;
};
inline constexpr std::array<std::string_view, 2> lookValuesNames = {"shown", "light"};

/// Changes of colours, one after the other in the order of the members. All but curves and look work on
/// scene-linear light.
struct Grade {
    static constexpr std::size_t mostPoints = 32;
    bool on = true;
    double exposure = 0; ///< stops
    double warmth = 0;   ///< mired by which light becomes warmer; below 0: colder
    double tint = 0;     ///< towards magenta, thousandths of v in CIE 1960 UCS; below 0: towards green
    V3d slope{1, 1, 1}, offset{0, 0, 0}, power{1, 1, 1}; ///< ASC CDL, without its clamping
    double contrast = 1, pivot = 0.18;                   ///< a power about what stays as it is
    double saturation = 1; ///< about the luminance of Rec. 709, as ASC CDL has it
    /// Of values as they are shown (sRGB-encoded), in order of what goes in; straight beyond the ends.
    struct Point {
        double in = 0, out = 0;
        bool operator==(const Point&) const = default;
    };
    /// Of all three colours, then of red, green and blue alone. Empty, or at least two points.
    std::array<std::vector<Point>, 4> curves;
    Look look;
    bool operator==(const Grade&) const = default;
};
inline constexpr std::array<std::string_view, 4> gradeCurveNames = {"all", "red", "green", "blue"};
using GradePtr = std::shared_ptr<const Grade>;

/// Whether it changes nothing.
bool neutral(const Grade& grade);

/// A grade of what stands between two depths, m from the lens along its axis; it begins and ends softly
/// outside of them.
struct DepthGrade {
    static constexpr std::size_t most = 20; ///< of a scene
    double from = 0, to = 10;
    double soft = 1; ///< m
    Grade grade;
    bool operator==(const DepthGrade&) const = default;
};

/// How light becomes what is shown, by an OpenColorIO configuration; without one by the curve of sRGB.
struct ViewTransform {
    std::string config;  ///< absolute in memory; empty: none
    std::string space;   ///< its name of scene-linear Rec. 709; empty: its role scene_linear
    std::string display; ///< empty: its first
    std::string view;    ///< empty: the first of the display
    bool operator==(const ViewTransform&) const = default;
};

}
