// What drifts, veils and displaces, in the details: particles, clouds, pixels of a layer that move.
#pragma once

#include "desk/details/part.h"

class QMenu;

namespace stage::desk {

class ParticlesPart : public Part {
    Q_OBJECT
public:
    explicit ParticlesPart(Session& session);

protected:
    bool applies() const override { return particles() != nullptr; }

private:
    const scene::Particles* particles() const { return content<scene::Particles>(); }
    void change(const scene::Json& members, bool settled = true);
    void number(const QString& name, const NumberStyle& style, const QString& tip, const char* member,
                double scene::Particles::*value, double low, double high);
    void share(const QString& name, const QString& tip, const char* member, double scene::Particles::*value,
               double high = 1);
    void vector(const QString& name, const QString& tip, const char* member, V3d scene::Particles::*value);
    void addLook();
    void addLife();
    void addBox();
    void addMotion();
    void addTurning();
    void addChance();
    void fillPictures(QMenu* menu);
};

class CloudPart : public Part {
    Q_OBJECT
public:
    explicit CloudPart(Session& session);

protected:
    bool applies() const override { return cloud() != nullptr; }

private:
    const scene::Cloud* cloud() const { return content<scene::Cloud>(); }
    void change(const scene::Json& members);
    void number(const QString& name, const NumberStyle& style, const QString& tip, const char* member,
                double scene::Cloud::*value, double low, double high);
    void share(const QString& name, const QString& tip, const char* member, double scene::Cloud::*value);
};

/// One of the displacements of a layer's pixels at a time.
class DisplacementPart : public Part {
    Q_OBJECT
public:
    explicit DisplacementPart(Session& session);

protected:
    bool applies() const override;

private:
    const std::vector<scene::Displacement>& all() const;
    std::size_t which() const; ///< of the chosen one, also where there is none
    const scene::Displacement* chosen() const;
    void change(const std::function<void(scene::Displacement&)>& how);
    void set(const std::vector<scene::Displacement>& displacements);
    void addPlace();

    QComboBox* m_which;
    std::vector<std::pair<QWidget*, std::function<bool(scene::DisplacementKind)>>> m_only;
};

}
