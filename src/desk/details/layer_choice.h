// A choice among the layers of the scene, in the details.
#pragma once

#include "scene/scene.h"

#include <QComboBox>
#include <functional>

namespace stage::desk {

class LayerChoice : public QComboBox {
    Q_OBJECT
public:
    /// before: what can be chosen besides layers; the first of them is entry 0. only: which layers; all where
    /// it is not given.
    explicit LayerChoice(QStringList before, bool groups = true,
                         std::function<bool(const scene::Layer&)> only = {});
    /// Names the layers of a scene but for one; at most 500.
    void fill(const scene::Scene& scene, std::int64_t without);
    /// Of an entry; 0: it is one of those before.
    std::int64_t layerAt(int entry) const;
    /// The first entry where the layer is not there.
    void show(std::int64_t layer);

private:
    QStringList m_before;
    bool m_groups;
    std::function<bool(const scene::Layer&)> m_only;
    std::vector<std::int64_t> m_layers;
};

}
