// Vectors of the program. World axes are glTF 2.0's: right-handed, metres, +X right, +Y up; a camera with
// no turn looks along -Z.
#pragma once

#include <Imath/ImathBox.h>
#include <Imath/ImathMatrix.h>
#include <Imath/ImathQuat.h>
#include <Imath/ImathVec.h>
#include <numbers>

namespace stage {

using V2i = Imath::V2i;
using V2d = Imath::V2d;
using V3d = Imath::V3d;
using M33d = Imath::M33d;
using Quatd = Imath::Quatd;
using Box2i = Imath::Box2i;

constexpr double radians(double degrees) {
    return degrees * std::numbers::pi / 180.0;
}
constexpr double degrees(double radians) {
    return radians * 180.0 / std::numbers::pi;
}

}
