#include "render/mesh.h"

#include <algorithm>
#include <cmath>
#include <embree3/rtcore.h>
#include <limits>

namespace stage::render {
namespace {

RTCDevice device() {
    static const RTCDevice made = rtcNewDevice(nullptr);
    return made;
}

}

Grid gridOf(const optics::Surface& card) {
    Grid grid;
    grid.s0 = -card.left, grid.s1 = 1 + card.right;
    grid.t0 = -card.top, grid.t1 = 1 + card.bottom;
    // A chord over the angle a is off its arc by 1 - cos(a/2) of the radius.
    const double most = 2 * std::acos(1 - 1 / 50'000.0);
    grid.columns =
        std::clamp(static_cast<int>(std::ceil(std::abs(card.bend) * (grid.s1 - grid.s0) / most)), 1, 4096);
    for (const double t : {grid.t0, grid.t1})
        for (int i = 0; i <= grid.columns; ++i)
            grid.points.push_back(card.at(grid.s0 + (grid.s1 - grid.s0) * i / grid.columns, t));
    return grid;
}

struct Mesh::Own {
    RTCScene scene = nullptr;
    Grid grid;     ///< without its points
    V3d origin{0}; ///< single precision is about here

    /// Triangles of a cell: upper left, upper right, lower left; and lower right, lower left, upper right.
    void place(unsigned primitive, float u, float v, float& s, float& t) const {
        const int cell = static_cast<int>(primitive / 2), column = cell % grid.columns,
                  row = cell / grid.columns;
        const bool second = primitive % 2;
        const float across = second ? 1 - u : u, down = second ? 1 - v : v;
        s = static_cast<float>(grid.s0 + (grid.s1 - grid.s0) *
                                             (static_cast<double>(column) + static_cast<double>(across)) /
                                             grid.columns);
        t = static_cast<float>(grid.t0 + (grid.t1 - grid.t0) *
                                             (static_cast<double>(row) + static_cast<double>(down)) /
                                             grid.rows);
    }
};

Mesh::Mesh(const Grid& grid) : m_own(std::make_unique<Own>()) {
    Own& own = *m_own;
    own.grid = grid;
    own.grid.points.clear();
    for (const V3d& point : grid.points)
        own.origin += point / static_cast<double>(grid.points.size());
    own.scene = rtcNewScene(device());
    rtcSetSceneFlags(own.scene, RTC_SCENE_FLAG_ROBUST); // no ray slips through between two cells
    RTCGeometry geometry = rtcNewGeometry(device(), RTC_GEOMETRY_TYPE_TRIANGLE);
    auto* points = static_cast<float*>(rtcSetNewGeometryBuffer(
        geometry, RTC_BUFFER_TYPE_VERTEX, 0, RTC_FORMAT_FLOAT3, 3 * sizeof(float), grid.points.size()));
    for (const V3d& point : grid.points) {
        const V3d from = point - own.origin;
        for (int i = 0; i < 3; ++i)
            *points++ = static_cast<float>(from[i]);
    }
    const auto cells = static_cast<std::size_t>(grid.columns) * static_cast<std::size_t>(grid.rows);
    auto* corners = static_cast<unsigned*>(rtcSetNewGeometryBuffer(
        geometry, RTC_BUFFER_TYPE_INDEX, 0, RTC_FORMAT_UINT3, 3 * sizeof(unsigned), 2 * cells));
    for (int row = 0; row < grid.rows; ++row)
        for (int column = 0; column < grid.columns; ++column) {
            const auto upper = static_cast<unsigned>(row * (grid.columns + 1) + column),
                       lower = upper + static_cast<unsigned>(grid.columns) + 1;
            for (const unsigned corner : {upper, upper + 1, lower, lower + 1, lower, upper + 1})
                *corners++ = corner;
        }
    rtcCommitGeometry(geometry);
    rtcAttachGeometry(own.scene, geometry);
    rtcReleaseGeometry(geometry);
    rtcCommitScene(own.scene);
}

Mesh::~Mesh() {
    rtcReleaseScene(m_own->scene);
}

std::optional<optics::Meeting> Mesh::meet(const optics::View& view, const V2d& place, double from) const {
    const V3d eye = view.eye - m_own->origin, along = optics::rayThrough(view, place);
    RTCRayHit ray{};
    ray.ray.org_x = static_cast<float>(eye.x), ray.ray.org_y = static_cast<float>(eye.y),
    ray.ray.org_z = static_cast<float>(eye.z);
    ray.ray.dir_x = static_cast<float>(along.x), ray.ray.dir_y = static_cast<float>(along.y),
    ray.ray.dir_z = static_cast<float>(along.z);
    ray.ray.tnear = static_cast<float>(from);
    ray.ray.tfar = std::numeric_limits<float>::infinity();
    ray.ray.mask = ~0u;
    ray.hit.geomID = ray.hit.instID[0] = RTC_INVALID_GEOMETRY_ID;
    RTCIntersectContext context;
    rtcInitIntersectContext(&context);
    rtcIntersect1(m_own->scene, &context, &ray);
    if (ray.hit.geomID == RTC_INVALID_GEOMETRY_ID) return std::nullopt;
    float s = 0, t = 0;
    m_own->place(ray.hit.primID, ray.hit.u, ray.hit.v, s, t);
    return optics::Meeting{static_cast<double>(s), static_cast<double>(t), static_cast<double>(ray.ray.tfar)};
}

void Mesh::meet(Rays16& rays) const {
    RTCRayHit16 packet;
    const auto origin = [&](const float* from, double by, float* to) {
        for (int i = 0; i < 16; ++i)
            to[i] = from[i] - static_cast<float>(by);
    };
    origin(rays.ox, m_own->origin.x, packet.ray.org_x);
    origin(rays.oy, m_own->origin.y, packet.ray.org_y);
    origin(rays.oz, m_own->origin.z, packet.ray.org_z);
    for (int i = 0; i < 16; ++i) {
        packet.ray.dir_x[i] = rays.dx[i], packet.ray.dir_y[i] = rays.dy[i], packet.ray.dir_z[i] = rays.dz[i];
        packet.ray.tnear[i] = rays.from[i];
        packet.ray.tfar[i] = std::numeric_limits<float>::infinity();
        packet.ray.time[i] = 0;
        packet.ray.mask[i] = ~0u;
        packet.ray.id[i] = 0, packet.ray.flags[i] = 0;
        packet.hit.geomID[i] = packet.hit.instID[0][i] = RTC_INVALID_GEOMETRY_ID;
    }
    RTCIntersectContext context;
    rtcInitIntersectContext(&context);
    context.flags = RTC_INTERSECT_CONTEXT_FLAG_COHERENT;
    rtcIntersect16(rays.valid, m_own->scene, &context, &packet);
    for (int i = 0; i < 16; ++i) {
        rays.depth[i] = 0;
        if (rays.valid[i] == 0 || packet.hit.geomID[i] == RTC_INVALID_GEOMETRY_ID) continue;
        m_own->place(packet.hit.primID[i], packet.hit.u[i], packet.hit.v[i], rays.s[i], rays.t[i]);
        rays.depth[i] = packet.ray.tfar[i];
    }
}

}
