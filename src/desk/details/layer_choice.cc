#include "desk/details/layer_choice.h"

#include <algorithm>

namespace stage::desk {

constexpr std::size_t mostLayers = 500;

LayerChoice::LayerChoice(QStringList before, bool groups, std::function<bool(const scene::Layer&)> only)
    : m_before(std::move(before)), m_groups(groups), m_only(std::move(only)) {
    setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
}

void LayerChoice::fill(const scene::Scene& scene, std::int64_t without) {
    std::vector<std::int64_t> layers;
    QStringList names = m_before;
    scene::forEach(scene, [&](const scene::LayerPtr& each, const auto&) {
        if (each->id == without || layers.size() >= mostLayers || (!m_groups && each->group()) ||
            (m_only && !m_only(*each)))
            return;
        layers.push_back(each->id);
        names << QString::fromStdString(each->name);
    });
    bool same = layers == m_layers && names.size() == count();
    for (int i = 0; same && i < count(); ++i)
        same = itemText(i) == names[i];
    if (same) return;
    m_layers = std::move(layers);
    clear();
    addItems(names);
}

std::int64_t LayerChoice::layerAt(int entry) const {
    const auto at = static_cast<std::ptrdiff_t>(entry) - m_before.size();
    return at < 0 || at >= static_cast<std::ptrdiff_t>(m_layers.size())
               ? 0
               : m_layers[static_cast<std::size_t>(at)];
}

void LayerChoice::show(std::int64_t layer) {
    const auto at = std::find(m_layers.begin(), m_layers.end(), layer);
    setCurrentIndex(at == m_layers.end() ? 0 : static_cast<int>(m_before.size() + (at - m_layers.begin())));
}

}
