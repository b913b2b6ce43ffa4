// How a layer hangs, in the details: its pivot, what carries it, facing, bending, what is seen beyond its
// edges, its tags, and how a group was scattered.
#pragma once

#include "desk/kit/number_field.h"
#include "desk/session/session.h"

#include <QWidget>

class QComboBox;
class QLabel;
class QPushButton;
class QVBoxLayout;

namespace stage::desk {

class HangingPart : public QWidget {
    Q_OBJECT
public:
    explicit HangingPart(Session& session, QWidget* parent = nullptr);
    void refresh(); ///< shows the one selected layer

private:
    void hang(const edit::Edit& how);

    Session& m_session;
    NumberField *m_pivotAcross, *m_pivotUp, *m_bend;
    QComboBox *m_facing, *m_follows;
    struct Side {
        const char* name;
        QComboBox* beyond;
        NumberField* by;
    };
    std::vector<Side> m_sides;
    QLabel *m_keys, *m_tags;
    QWidget *m_shape, *m_keyRow;
    std::vector<std::int64_t> m_leaders; ///< in the order of m_follows
};

}
