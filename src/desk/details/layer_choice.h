// A choice among the layers of the scene, in the details.
#pragma once

#include "scene/scene.h"

#include <QComboBox>

namespace stage::desk {

class LayerChoice : public QComboBox {
    Q_OBJECT
public:
    /// before: what can be chosen besides layers; the first of them is entry 0.
    explicit LayerChoice(QStringList before, bool groups = true);
    /// Names the layers of a scene but for one; at most 500.
    void fill(const scene::Scene& scene, std::int64_t without);
    /// Of an entry; 0: it is one of those before.
    std::int64_t layerAt(int entry) const;
    /// The first entry where the layer is not there.
    void show(std::int64_t layer);

private:
    QStringList m_before;
    bool m_groups;
    std::vector<std::int64_t> m_layers;
};

}
