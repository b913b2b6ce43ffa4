// The depth ladder: the layers' names on rungs in depth order, tied to their bars in the Plan beside it; or,
// for many, a compact list in the order of the scene. Both can be searched by name and tag.
#pragma once

#include "desk/session/session.h"
#include "desk/set/draft_view.h"

#include <QWidget>
#include <unordered_set>

class QLineEdit;
class QStackedLayout;
class QToolButton;

namespace stage::desk {

class LayerList;
class NumberField;

/// The rungs alone.
class Rungs : public QWidget {
    Q_OBJECT
public:
    Rungs(Session& session, DraftView& plan, QWidget* parent = nullptr);
    QSize sizeHint() const override { return {154, 300}; }
    void setSearch(const QString& text);
    QRectF rungRect(std::int64_t layer) const; ///< empty when it has none

Q_SIGNALS:
    void menuAsked(const QPoint& global);

protected:
    void paintEvent(QPaintEvent*) override;
    void resizeEvent(QResizeEvent*) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void mouseDoubleClickEvent(QMouseEvent* event) override;
    void leaveEvent(QEvent* event) override;
    void wheelEvent(QWheelEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;
    void contextMenuEvent(QContextMenuEvent* event) override;
    bool event(QEvent* event) override;

private:
    struct Rung {
        std::int64_t id;
        QString name;
        double depth;
        scene::LayerPtr layer;
        int nested = 0, inside = 0; ///< how deep in groups; how many layers it holds that have no rung
        bool visible, locked;
        QRectF rect;
    };
    void layOut();
    void paintRung(QPainter& painter, const Rung& rung) const;
    const Rung* rungAt(const QPointF& place) const;
    QRectF eyeRect(const Rung& rung) const;
    QRectF lockRect(const Rung& rung) const;
    QRectF openRect(const Rung& rung) const;
    bool isOpen(const scene::Layer& group) const;

    Session& m_session;
    DraftView& m_plan;
    std::vector<Rung> m_rungs;
    std::unordered_set<std::int64_t> m_toggled; ///< groups opened or closed by hand
    QString m_search;
    NumberField* m_depthEntry;
    std::int64_t m_entryLayer = 0, m_hover = 0, m_dragLayer = 0;
    QPointF m_pressed;
    double m_depthFrom = 0;
    bool m_moved = false;
    int m_scroll = 0, m_above = 0, m_below = 0; ///< rungs scrolled away
};

class Ladder : public QWidget {
    Q_OBJECT
public:
    Ladder(Session& session, DraftView& plan, QWidget* parent = nullptr);
    Rungs& rungs() { return *m_rungs; }
    LayerList& list() { return *m_list; }
    QLineEdit& search() { return *m_search; }
    void setListing(bool list);
    bool listing() const;

Q_SIGNALS:
    void menuAsked(const QPoint& global);
    void listingChanged(bool list);

private:
    Session& m_session;
    Rungs* m_rungs;
    LayerList* m_list;
    QStackedLayout* m_stack;
    QLineEdit* m_search;
    QToolButton* m_mode;
};

}
