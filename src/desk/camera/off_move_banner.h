// Says that the camera shown is off the move, and offers to keep its pose or to go back.
#pragma once

#include "desk/session/session.h"

#include <QWidget>

class QLabel;
class QPushButton;

namespace stage::desk {

class OffMoveBanner : public QWidget {
    Q_OBJECT
public:
    OffMoveBanner(Session& session, QWidget* view);
    /// Shows what is true now, or hides it; its middle and top in the view, px.
    void refresh(double middle, double top);

private:
    void keepOrShow();
    Session& m_session;
    QLabel* m_text;
    QPushButton *m_set, *m_back;
};

}
