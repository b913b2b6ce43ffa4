// What spreads light or dark around a layer's picture, or over the whole picture, in the details.
#pragma once

#include "desk/details/part.h"

namespace stage::desk {

/// Soft focus, drop shadow and glow of the one selected layer.
class FinishPart : public Part {
    Q_OBJECT
public:
    explicit FinishPart(Session& session);

protected:
    bool applies() const override;

private:
    const scene::Finish& finish() const;
    void change(const char* part, const scene::Json& members);
    /// A number of a part of it; asShare: shown as percent.
    template <class Of>
    void number(const QString& name, const NumberStyle& style, const QString& tip, const char* key,
                Of scene::Finish::*part, const char* member, double Of::*value, double low, double high);
};

/// Of the whole picture, while nothing is selected.
class GlarePart : public Part {
    Q_OBJECT
public:
    explicit GlarePart(Session& session);

protected:
    bool applies() const override { return m_session.selection.layers().empty(); }

private:
    void change(const scene::Json& members);
};

}
