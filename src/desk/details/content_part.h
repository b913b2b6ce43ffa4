// What a layer shows, in the details: the time of footage, how a text is set and what surrounds its letters,
// the colours of a card.
#pragma once

#include "desk/details/part.h"

namespace stage::desk {

class FootagePart : public Part {
    Q_OBJECT
public:
    explicit FootagePart(Session& session);

protected:
    bool applies() const override { return footage() != nullptr; }

private:
    void addRange();
    void addSpeed();
    void addEnds();
    const scene::Footage* footage() const { return content<scene::Footage>(); }
    void change(const scene::Json& members);
    double speed() const; ///< at the playhead; 1: as filmed
    void setSpeed(double speed);
    void setVaries(bool on);
};

class TextPart : public Part {
    Q_OBJECT
public:
    explicit TextPart(Session& session);

protected:
    bool applies() const override { return text() != nullptr; }

private:
    void addShare(const QString& name, const QString& tip, double low, double high, const char* member,
                  double scene::Text::*value);
    void addColour(const QString& name, const char* member, scene::Colour scene::Text::*value);
    void addFall(const QString& name, int axis);
    const scene::Text* text() const { return content<scene::Text>(); }
    void change(const scene::Json& members);
};

class CardPart : public Part {
    Q_OBJECT
public:
    explicit CardPart(Session& session);

protected:
    bool applies() const override { return card() != nullptr; }

private:
    void addStop(const QString& name, bool first);
    const scene::Card* card() const { return content<scene::Card>(); }
    void change(const scene::Json& members);
    void setStop(bool first, const scene::Colour& colour);
};

}
