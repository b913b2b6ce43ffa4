// The shadows that a layer throws, in the details.
#pragma once

#include "desk/details/part.h"

namespace stage::desk {

class ShadowPart : public Part {
    Q_OBJECT
public:
    explicit ShadowPart(Session& session);

protected:
    bool applies() const override;

private:
    const std::vector<scene::Shadow>& all() const;
    scene::Shadow chosen() const; ///< one as it would begin, where there is none
    void change(const std::function<void(scene::Shadow&)>& how);
    void set(const std::vector<scene::Shadow>& shadows);
    void addLight();
    void addLook();

    QComboBox* m_which;
};

}
