#include "desk/session/selection.h"

#include <algorithm>

namespace stage::desk {

Selection::Selection(Document& document) : m_document(document) {
    // Before any view looks; that what is gone is not selected is told by the scene itself.
    connect(&document, &Document::sceneChanged, this, [this] {
        std::erase_if(m_layers, [&](std::int64_t id) { return !scene::find(*m_document.scene(), id).layer; });
        m_keys = interaction::existingKeys(*m_document.scene(), std::move(m_keys));
    });
    connect(&document, &Document::beginning, this, [this] { m_layers.clear(); });
    connect(&document, &Document::begun, this, &Selection::layersChanged);
}

bool Selection::contains(std::int64_t layer) const {
    return std::find(m_layers.begin(), m_layers.end(), layer) != m_layers.end();
}

bool Selection::contains(const scene::LayerPath& found) const {
    return found.layer &&
           (contains(found.layer->id) || std::any_of(found.holders.begin(), found.holders.end(),
                                                     [&](const auto& h) { return contains(h->id); }));
}

scene::LayerPath Selection::only() const {
    return m_layers.size() == 1 ? scene::find(*m_document.scene(), m_layers.front()) : scene::LayerPath{};
}

void Selection::select(std::vector<std::int64_t> layers) {
    if (layers == m_layers) return;
    m_layers = std::move(layers);
    Q_EMIT layersChanged();
}

void Selection::click(std::int64_t layer, bool also) {
    auto chosen = m_layers;
    const bool was = contains(layer);
    if (!also && was) return;
    if (!also) chosen.clear();
    if (was)
        std::erase(chosen, layer);
    else if (layer)
        chosen.push_back(layer);
    select(std::move(chosen));
}

void Selection::chooseKeys(interaction::KeyRefs keys) {
    if (keys == m_keys) return;
    m_keys = std::move(keys);
    Q_EMIT keysChanged();
}

bool Selection::clickKey(const interaction::KeyRef& key, bool also) {
    interaction::KeyRefs keys = m_keys;
    if (!also && !interaction::contains(keys, key))
        keys = {key};
    else if (also && std::erase(keys, key) == 0)
        keys.push_back(key);
    chooseKeys(std::move(keys));
    return interaction::contains(m_keys, key);
}

void Selection::previewKeys(const edit::Edit& edit, interaction::KeyRefs then) {
    const interaction::KeyRefs before = m_keys;
    m_keys = std::move(then); // before the scene is shown, which drops those that are not there
    if (!m_document.preview(edit)) m_keys = before;
}

void Selection::removeKeys() {
    if (m_keys.empty()) return;
    interaction::KeyChange change;
    change.more["remove"] = true;
    m_document.apply(interaction::changeOfKeys(m_keys, change, "Remove keys"));
}

}
