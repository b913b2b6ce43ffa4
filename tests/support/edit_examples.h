// The scene that the examples of docs/edits.md are about, and those examples.
#pragma once

#include "edit/edit.h"
#include "scene/scene_json.h"
#include "support/support.h"

#include <gtest/gtest.h>

namespace stage::test {

/// Writes a picture into the folder and makes a scene that shows it.
inline scene::Scene exampleScene(const TempDir& dir) {
    writePicture(dir / "boat.png", {64, 48}, [](int x, int y) { return Rgba8{x * 3, y * 4, 90}; });
    const std::string boat = (dir / "boat.png").string();
    const edit::Edit ring = {{"kind", "ellipse"}, {"area", {{"centre", {9, 9}}, {"size", {5, 5}}}}};
    scene::Scene scene = scene::emptyScene();
    for (const edit::Edit& each : std::vector<edit::Edit>{
             {{"edit", "bring-in"}, {"files", {boat, boat}}},
             {{"edit", "rename"}, {"layer", 1}, {"name", "Boatman"}},
             {{"edit", "rename"}, {"layer", 2}, {"name", "Bridge"}},
             {{"edit", "add-text"}, {"text", "X"}, {"name", "Title"}},
             {{"edit", "set-mark"}, {"time", "2"}, {"position", {1, 0, 0}}},
             {{"edit", "add-card"}, {"name", "Dusk"}},
             {{"edit", "add-card"}, {"name", "Cut"}},
             {{"edit", "add-particles"}, {"name", "Drift"}},
             {{"edit", "add-cloud"}, {"name", "Fog"}},
             {{"edit", "add-matte"}, {"layer", "Cut"}, {"matte", ring}},
             {{"edit", "add-matte"}, {"layer", "Cut"}, {"matte", ring}},
             {{"edit", "add-fill"}, {"layer", "Cut"}, {"hole", {ring}}},
             {{"edit", "add-clone"}, {"layer", "Cut"}, {"from", {9, 9}}, {"stroke", {{"dabs", {{1, 1}}}}}}}) {
        auto made = edit::apply(scene, each);
        EXPECT_TRUE(made) << each.dump() << ": " << (made ? "" : made.error().sentence);
        if (made) scene = std::move(*made);
    }
    scene::Layer water = *scene.layers.front();
    water.id = 900;
    water.name = "Water";
    water.content = scene::Footage{{"water.mp4", 0, ""}, Rational(24), 9};
    scene.layers.push_back(std::make_shared<scene::Layer>(water));
    return scene;
}

/// Each an edit or a list of them that follow each other.
inline std::vector<scene::Json> editExamples(const TempDir& dir) {
    const std::string text = readAll(sourceFolder() + "/docs/edits.md");
    std::vector<scene::Json> examples;
    for (auto at = text.find("```json\n"); at != std::string::npos; at = text.find("```json\n", at)) {
        at += 8;
        std::string example = text.substr(at, text.find("```", at) - at);
        for (auto file = example.find("PATH/"); file != std::string::npos; file = example.find("PATH/"))
            example.replace(file, 5, dir.path().string() + "/");
        const auto json = scene::parseJson(example);
        EXPECT_TRUE(json) << example;
        if (json) examples.push_back(*json);
    }
    return examples;
}

}
