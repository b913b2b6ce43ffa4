// Which layers, and which keys of tracks, are selected. What is gone from the scene is so no longer.
// Interface thread.
#pragma once

#include "desk/session/document.h"
#include "interaction/key_edits.h"

namespace stage::desk {

class Selection : public QObject {
    Q_OBJECT
public:
    explicit Selection(Document& document);

    const std::vector<std::int64_t>& layers() const { return m_layers; }
    bool contains(std::int64_t layer) const;
    /// It, or a group that holds it.
    bool contains(const scene::LayerPath& found) const;
    /// The one selected layer; layer is null when there is none or several.
    scene::LayerPath only() const;
    void select(std::vector<std::int64_t> layers);
    /// As a click on a layer does (0: on none): selects it, or with `also` adds or removes it. One that is
    /// selected with others stays so, for they may be about to be dragged together.
    void click(std::int64_t layer, bool also);

    const interaction::KeyRefs& keys() const { return m_keys; }
    void chooseKeys(interaction::KeyRefs keys);
    /// As a click on a key does: chooses it, or with `also` adds or removes it; chosen keys stay, for they
    /// may be about to be dragged together. Whether it is chosen then.
    bool clickKey(const interaction::KeyRef& key, bool also);
    /// A change of the chosen keys being dragged: `then` is where they are by it.
    void previewKeys(const edit::Edit& edit, interaction::KeyRefs then);
    void removeKeys(); ///< the chosen ones

Q_SIGNALS:
    void layersChanged();
    void keysChanged();

private:
    Document& m_document;
    std::vector<std::int64_t> m_layers;
    interaction::KeyRefs m_keys;
};

}
