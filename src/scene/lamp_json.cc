#include "scene/lamp_json.h"

#include "scene/black_body.h"
#include "scene/scene_json.h"

#include <cmath>

namespace stage::scene {

Colour colourOf(double kelvin) {
    const V2d xy = chromaticityOf(planckianLocus(kelvin));
    const double x = xy.x, y = xy.y;
    const double cie[3] = {x / y, 1, (1 - x - y) / y};
    // XYZ to Rec. 709 (IEC 61966-2-1).
    const double r = 3.2404542 * cie[0] - 1.5371385 * cie[1] - 0.4985314 * cie[2],
                 g = -0.9692660 * cie[0] + 1.8760108 * cie[1] + 0.0415560 * cie[2],
                 b = 0.0556434 * cie[0] - 0.2040259 * cie[1] + 1.0572252 * cie[2];
    const double most = std::max({r, g, b});
    return {std::max(0.0, r / most), std::max(0.0, g / most), std::max(0.0, b / most), 1};
}

Json toJson(const Lamp& lamp) {
    return {{"colour", toJson(lamp.colour)},
            {"strength", lamp.strength},
            {"radius", lamp.radius()},
            {"reach", lamp.reach},
            {"glow", lamp.glow},
            {"glowSize", lamp.glowSize},
            {"halo", lamp.halo}};
}

Lamp readLamp(Fields& fields, const Lamp& fallback) {
    Lamp lamp = fallback;
    if (fields.has("kelvin")) {
        if (fields.has("colour"))
            throw Misread{"'" + fields.where() + "' takes 'colour' or 'kelvin', not both"};
        lamp.colour = colourOf(fields.number("kelvin", 1000, 15'000));
    }
    if (fields.has("colour")) lamp.colour = fields.colour("colour");
    lamp.strength = fields.number("strength", -20, 40, lamp.strength);
    lamp.body = V3d(2 * fields.number("radius", 1e-4, 1000, lamp.radius()));
    lamp.reach = fields.number("reach", 1e-3, Limits::metres, lamp.reach);
    lamp.glow = fields.number("glow", 0, 1000, lamp.glow);
    lamp.glowSize = fields.number("glowSize", 1e-4, Limits::metres, lamp.glowSize);
    lamp.halo = fields.number("halo", 0, 1000, lamp.halo);
    return lamp;
}

Json toJson(const Ambient& ambient) {
    return {{"colour", toJson(ambient.colour)}, {"level", ambient.level}};
}

Ambient readAmbient(Fields& fields, const Ambient& fallback) {
    Ambient ambient = fallback;
    if (fields.has("colour")) ambient.colour = fields.colour("colour");
    ambient.level = fields.number("level", 0, 1000, ambient.level);
    return ambient;
}

Json toJson(const Shading& shading) {
    Json json = {{"front", shading.front},
                 {"translucency", shading.translucency},
                 {"edge",
                  {{"strength", shading.edge.strength},
                   {"width", shading.edge.width},
                   {"roundness", shading.edge.roundness}}}};
    if (shading.normals != 0) json["normals"] = shading.normals;
    return json;
}

Shading readShading(Fields& fields, const Shading& fallback) {
    Shading shading = fallback;
    shading.front = fields.number("front", 0, 100, shading.front);
    shading.translucency = fields.number("translucency", 0, 100, shading.translucency);
    shading.normals = fields.whole("normals", 0, std::int64_t{1} << 50, shading.normals);
    if (fields.has("edge")) {
        Fields edge(fields.object("edge"), fields.at("edge"));
        shading.edge.strength = edge.number("strength", 0, 1000, shading.edge.strength);
        shading.edge.width = edge.number("width", 0.1, 1000, shading.edge.width);
        shading.edge.roundness = edge.number("roundness", 0, 1, shading.edge.roundness);
        edge.nothingElse();
    }
    return shading;
}

}
