// Rows of a picture of which only some places are known, by the widest instructions that the machine has.
#pragma once

namespace stage::render {

/// Adds under a row of pixels (RGBA, premultiplied) what is evenly between nodes, which lie `step` pixels
/// from each other, the first at the row's left. upper, lower: nodes of the two rows of them around it, RGBA.
/// down: its share of the way from the upper to the lower. step: 1, 2, 4 ...; there is room for whole steps
/// in the row, of which no more than `width` pixels count.
void addEvenly(const float* upper, const float* lower, float down, int step, int width, float* row);

}
