// When a layer shows and how it fades, in the details: in and out, fades in time and by its distance.
#pragma once

#include "desk/kit/number_field.h"
#include "desk/session/session.h"

#include <QWidget>

class QVBoxLayout;

namespace stage::desk {

class TimePart : public QWidget {
    Q_OBJECT
public:
    explicit TimePart(Session& session, QWidget* parent = nullptr);
    void refresh(); ///< shows the one selected layer

private:
    void set(const char* member, double seconds);
    Session& m_session;
    NumberField *m_in, *m_out, *m_fadeIn, *m_fadeOut, *m_nearGone, *m_nearFull, *m_farFull, *m_farGone;
};

}
