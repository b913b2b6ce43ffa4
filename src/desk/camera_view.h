// What the lens sees, and the hands on it: selecting and sliding layers, pushing them in depth, walking the
// camera.
#pragma once

#include "desk/picture_request.h"
#include "desk/session.h"
#include "optics/placing.h"

#include <QTimer>
#include <QWidget>
#include <map>

class QLabel;
class QPushButton;

namespace stage::desk {

class CameraView : public QWidget {
    Q_OBJECT
public:
    explicit CameraView(Session& session, QWidget* parent = nullptr);

    enum class Tool { Move, Push, Walk };
    void setTool(Tool tool);
    Tool tool() const { return m_tool; }
    void setThirds(bool on);
    void setSafe(bool on);

    /// Shows the next frames as they are rendered ahead; while playing nothing is dropped from the cache.
    void setPlaying(bool playing);
    int cachedFrames() const { return static_cast<int>(m_cache.size()); }
    double lastMilliseconds() const { return m_milliseconds; }

    QRectF frameRect() const; ///< where the frame lies in the widget
    QSize sizeHint() const override { return {600, 338}; }

Q_SIGNALS:
    void cacheChanged();
    void toolChanged();

protected:
    void paintEvent(QPaintEvent*) override;
    void resizeEvent(QResizeEvent*) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void wheelEvent(QWheelEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;

private:
    void forget();
    void update();
    void refill();
    void updateBanner();
    V2i pictureSize() const;
    optics::View view() const; ///< of the scene's own frame
    V2d toFrame(const QPointF& place) const;
    std::int64_t layerAt(const V2d& place) const;
    void walkBy(double truck, double pedestal, double dolly, double pan, double tilt);
    double reach() const; ///< depth at which a dragged camera follows the hand

    Session& m_session;
    PictureRequest m_request, m_ahead;
    Tool m_tool = Tool::Move;
    bool m_thirds = true, m_safe = false, m_playing = false;
    QImage m_picture;
    std::map<std::int64_t, QImage> m_cache;
    qint64 m_generation = 0;
    double m_milliseconds = 0;

    bool m_dragging = false, m_moved = false;
    QPointF m_from, m_last;
    scene::Pose m_walkFrom;
    V3d m_grip;
    double m_depthFrom = 0;
    QString m_say;
    QTimer m_walkEnd;

    QWidget* m_banner;
    QLabel* m_bannerText;
    QPushButton *m_bannerSet, *m_bannerBack;
};

}
