// A layer found by its id has the same holders and carriers as in the list of all.
#include "scene/scene.h"

#include <gtest/gtest.h>

namespace stage::scene {
namespace {

LayerPtr layer(std::int64_t id, std::int64_t follows = 0, std::vector<LayerPtr> children = {}) {
    auto made = std::make_shared<Layer>();
    made->id = id;
    made->name = "Layer " + std::to_string(id);
    made->follows = follows;
    if (!children.empty()) {
        Group group;
        group.children = std::move(children);
        made->content = std::move(group);
    }
    return made;
}

std::vector<std::int64_t> ids(const std::vector<LayerPtr>& layers) {
    std::vector<std::int64_t> all;
    for (const LayerPtr& each : layers)
        all.push_back(each->id);
    return all;
}

TEST(Find, GivesTheHoldersAndCarriersThatTheListOfAllGives) {
    Scene scene;
    scene.layers = {layer(1),     layer(2, 0, {layer(3), layer(4, 0, {layer(5, 1), layer(6)}), layer(7, 5)}),
                    layer(8, 7),                 // a chain: 7, 5, 1
                    layer(9, 10),                // a circle
                    layer(10, 9), layer(11, 99), // nothing there
                    layer(12, 2)};
    const std::vector<LayerPath> listed = all(scene);
    ASSERT_EQ(listed.size(), 12u);
    for (const LayerPath& each : listed) {
        const LayerPath found = find(scene, each.layer->id);
        EXPECT_EQ(found.layer, each.layer);
        EXPECT_EQ(ids(found.holders), ids(each.holders)) << each.layer->name;
        EXPECT_EQ(ids(found.carriers), ids(each.carriers)) << each.layer->name;
    }
    EXPECT_EQ(ids(find(scene, 8).carriers), (std::vector<std::int64_t>{1, 5, 7}));
    EXPECT_EQ(ids(find(scene, 6).carriers), (std::vector<std::int64_t>{2, 4}));
    EXPECT_FALSE(find(scene, 99).layer);
}

TEST(Find, TakesAsManyCarriersInARowAsMayBe) {
    Scene scene;
    for (std::int64_t id = 1; id <= Limits::carriers + 2; ++id)
        scene.layers.push_back(layer(id, id - 1));
    const auto listed = all(scene);
    for (const LayerPath& each : {listed[Limits::carriers], listed[Limits::carriers + 1]})
        EXPECT_EQ(ids(find(scene, each.layer->id).carriers), ids(each.carriers)) << each.layer->name;
    EXPECT_EQ(find(scene, Limits::carriers + 1).carriers.size(), std::size_t{Limits::carriers});
    EXPECT_TRUE(find(scene, Limits::carriers + 2).carriers.empty());
}

}
}
