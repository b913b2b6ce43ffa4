// Lamps, and how a layer takes their light, in the details.
#pragma once

#include "desk/details/part.h"

namespace stage::desk {

class LampPart : public Part {
    Q_OBJECT
public:
    explicit LampPart(Session& session);

protected:
    bool applies() const override { return lamp() != nullptr; }

private:
    const scene::Lamp* lamp() const { return content<scene::Lamp>(); }
    void change(const scene::Json& members);
    void number(const QString& name, const NumberStyle& style, const QString& tip, const char* member,
                double scene::Lamp::*value, double low, double high);
};

/// Of the one selected layer.
class ShadingPart : public Part {
    Q_OBJECT
public:
    explicit ShadingPart(Session& session);

protected:
    bool applies() const override;

private:
    const scene::Shading& shading() const;
    void addNormals();
    void change(const scene::Json& members);
};

}
