// How a layer hangs, in the details: its pivot, what carries it, facing, bending, what is seen beyond its
// edges, its tags, and its keys of place.
#pragma once

#include "desk/details/part.h"

namespace stage::desk {

class HangingPart : public Part {
    Q_OBJECT
public:
    explicit HangingPart(Session& session);

protected:
    bool applies() const override { return layer() != nullptr; }

private:
    void addPivot();
    void addFollows();
    void addStandsOn();
    QString slip() const;
    QWidget* makeShape(); ///< of flat layers
    void addBend(Rows& rows);
    void addSide(Rows& rows, const char* member, const QString& name,
                 scene::Extension scene::Extensions::*side);
    void addKeys();
    void hang(const edit::Edit& how);
    double pivotShare(int axis) const; ///< from the left or the foot
    void setPivot(double across, double up);
    void showKeys();

    std::unique_ptr<Rows> m_shapeRows;
    QLabel* m_slip;
    QLabel* m_keys;
    QWidget *m_shape, *m_keyRow;
};

}
