// What displaces the pixels of a row, by the widest instructions that the machine has. Each function sets
// `count` numbers, the same for a place whatever is asked for beside it.
#pragma once

namespace stage::cutout {

/// A value that changes evenly along a row: first, first + step ...
struct Ramp {
    float first, step;
};

/// out[n] = sin(2 pi p) + second sin(4 pi p + 1.3) for p of a ramp.
void sinesAlong(Ramp p, float second, int count, float* out);

/// Rings about a point. x: px from it to the right, y: downwards; size: px from crest to crest; turns: crests
/// that have passed; fade: px over which they become weaker by 1 / e, 0: never. Within a quarter of a ring of
/// the point it is less. right, down: px.
struct Rings {
    float y, size, turns, fade, amount;
};
void displaceByRings(const Rings& of, Ramp x, int count, float* right, float* down);

/// out[n] = amount sin(2 pi row + 1.2 sin(2 pi p)) for p of a ramp.
void rollingAlong(Ramp p, float row, float amount, int count, float* out);

/// Adds noise that goes smoothly from each of the 32 cells of a ring to the next. p: cells, the first at
/// least 0.
void addSmoothNoise(const float* cells, Ramp p, int count, float* out);

/// Makes vectors that are longer than 1 as long as 1, and all `amount` times as long.
void bound(float amount, int count, float* right, float* down);

}
