// The sRGB curve by table, for whole pictures. Error against media::srgbFromLinear: below 2e-5 within 0..1.
#pragma once

namespace stage::render {

float encode(float linear);
float decode(float encoded);

}
