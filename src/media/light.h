// Encoded footage to scene-linear Rec. 709. Pure functions, thread-safe.
#pragma once

#include <array>
#include <vector>

namespace stage::media {

/// SMPTE ST 2084 (PQ): encoded 0..1 to cd/m2, 0..10000.
float nitsFromPq(float encoded);
/// ITU-R BT.2100 HLG: encoded 0..1 to scene light, 0..1 (inverse OETF).
float sceneFromHlg(float encoded);
/// HLG scene light to what a 1000 cd/m2 display shows, cd/m2 (BT.2100 OOTF, gamma 1.2), in place; Rec. 2020
/// primaries.
void nitsFromHlgScene(std::array<float, 3>& rgb);
/// What counts as 1: diffuse white of HDR, cd/m2 (ITU-R BT.2408).
inline constexpr float hdrWhite = 203;
/// Rec. 2020 primaries to Rec. 709 (ITU-R BT.2087), both D65 and linear, in place; what lies outside becomes
/// negative.
void rec709FromRec2020(std::array<float, 3>& rgb);

}
