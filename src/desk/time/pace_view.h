// The camera's speed along the move, on paper: chosen by name, or drawn by hand. Also how it speeds up and
// turns.
#pragma once

#include "desk/time/pace_choice.h"

#include <QWidget>

class QToolButton;

namespace stage::desk {

class PacePaper;

class PaceView : public QWidget {
    Q_OBJECT
public:
    explicit PaceView(Session& session, QWidget* parent = nullptr);
    QSize sizeHint() const override { return {244, 180}; }
    /// Greatest speed over the move, m/s.
    double peak() const;
    PacePaper& paper() { return *m_paper; }

private:
    void refresh();
    Session& m_session;
    PaceChoice* m_pace;
    QComboBox* m_graph;
    QToolButton* m_whole;
    PacePaper* m_paper;
};

class PacePaper : public QWidget {
    Q_OBJECT
public:
    explicit PacePaper(Session& session, QWidget* parent = nullptr);
    enum class Graph { Speed, Acceleration, Turning };
    void setGraph(Graph graph);
    double peak() const { return m_peak; }
    /// Where a speed at a time is.
    QPointF placeOf(double seconds, double value) const;

Q_SIGNALS:
    void measured();

protected:
    void paintEvent(QPaintEvent*) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;

private:
    void measure();
    QRectF area() const;
    double top() const; ///< of the paper, in the graph's unit
    double limit() const;
    Session& m_session;
    Graph m_graph = Graph::Speed;
    std::vector<double> m_values; ///< of the graph, evenly over the duration
    double m_peak = 0, m_most = 0;

    bool m_drawing = false, m_moved = false;
    QPointF m_pressed, m_last;
    double m_topHeld = 0;
    std::optional<interaction::DrawnPace> m_drawn; ///< while it is drawn
};

}
