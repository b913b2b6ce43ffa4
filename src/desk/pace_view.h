// The camera's speed along the move, on paper.
#pragma once

#include "desk/session.h"

#include <QWidget>

namespace stage::desk {

class PaceView : public QWidget {
    Q_OBJECT
public:
    explicit PaceView(Session& session, QWidget* parent = nullptr);
    QSize sizeHint() const override { return {244, 180}; }
    /// Greatest speed over the move, m/s.
    double peak() const { return m_peak; }

protected:
    void paintEvent(QPaintEvent*) override;

private:
    void measure();
    Session& m_session;
    std::vector<double> m_speeds; ///< evenly over the duration
    double m_peak = 0;
};

}
