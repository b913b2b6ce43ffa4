#include "desk/cutting/cut_view.h"

#include "desk/cutting/cut_overlay.h"

#include "cutout/source.h"
#include "desk/cutting/cut_picture.h"
#include "desk/cutting/cut_shapes.h"
#include "desk/jobs/workers.h"
#include "desk/look/theme.h"
#include "motion/track.h"
#include "scene/cutout_json.h"
#include "scene/scene_json.h"

#include <QCheckBox>
#include <QHBoxLayout>
#include <QKeyEvent>
#include <QLabel>
#include <QPainter>
#include <QPainterPath>
#include <QPointer>
#include <QPushButton>
#include <QTabletEvent>
#include <cmath>

namespace stage::desk {
struct CutView::Job {
    CutPictureRequest request;
    std::stop_source stop;
    std::atomic<double> share = 0;
};

CutView::CutView(Session& session, QWidget* parent) : QWidget(parent), m_session(session) {
    setAttribute(Qt::WA_OpaquePaintEvent);
    setMouseTracking(true);
    setFocusPolicy(Qt::StrongFocus);
    setMinimumSize(240, 180);
    setAccessibleName(tr("Cut out"));
    m_banner = new QWidget(this);
    m_banner->setObjectName(QStringLiteral("guide"));
    m_banner->setAttribute(Qt::WA_StyledBackground);
    auto* row = new QHBoxLayout(m_banner);
    row->setContentsMargins(10, 6, 6, 6);
    row->setSpacing(6);
    m_bannerText = new QLabel;
    m_bannerText->setWordWrap(true);
    m_bannerBack = new QPushButton(tr("Take back"));
    m_bannerNext = new QPushButton;
    m_bannerNext->setObjectName(QStringLiteral("guideNext"));
    m_bannerCancel = new QPushButton(tr("Cancel"));
    row->addWidget(m_bannerText, 1);
    m_join = new QCheckBox(tr("As one layer"));
    m_join->setToolTip(
        tr("All that is near becomes one layer, and all in the middle another; else each loop one"));
    m_join->setFocusPolicy(Qt::NoFocus);
    row->addWidget(m_join);
    for (QPushButton* button : {m_bannerBack, m_bannerNext, m_bannerCancel}) {
        button->setFocusPolicy(Qt::NoFocus);
        row->addWidget(button);
    }
    m_banner->hide();
    connect(m_bannerNext, &QPushButton::clicked, this, [this] {
        if (m_guide == Guide::Near) {
            m_guide = Guide::Middle;
            refreshBanner();
        } else {
            finishSplit();
        }
    });
    connect(m_bannerBack, &QPushButton::clicked, this, [this] {
        auto& loops = m_guide == Guide::Near ? m_near : m_middle;
        if (!loops.empty()) {
            loops.pop_back();
        } else if (m_guide == Guide::Middle) {
            m_guide = Guide::Near;
        }
        refreshBanner();
    });
    connect(m_bannerCancel, &QPushButton::clicked, this, [this] {
        m_guide = Guide::Off;
        refreshBanner();
    });
    m_tick.setInterval(250);
    connect(&m_tick, &QTimer::timeout, this, [this] {
        ++m_seconds;
        update();
    });
    connect(&m_session.selection, &Selection::layersChanged, this, &CutView::layerMayHaveChanged);
    connect(&m_session.document, &Document::sceneChanged, this, &CutView::layerMayHaveChanged);
    m_session.playhead.beat().follow(this, Beat::Rank::Drawing, [this] { request(); });
}

CutView::~CutView() {
    if (m_running) m_running->stop.request_stop();
}

// ---- what is worked on

scene::LayerPtr CutView::layer() const {
    const scene::LayerPtr selected = m_session.selection.only().layer;
    return selected && !selected->group() && !selected->box() ? selected : nullptr;
}

const scene::Matte* CutView::current() const {
    const auto l = layer();
    if (!l || !l->cutout || m_matte < 0 || m_matte >= static_cast<int>(l->cutout->mattes.size()))
        return nullptr;
    return &l->cutout->mattes[static_cast<std::size_t>(m_matte)];
}

std::vector<scene::PathPoint> CutView::outline() const {
    const scene::Matte* matte = current();
    const auto* outline = matte ? std::get_if<scene::Outline>(&matte->shape) : nullptr;
    return outline ? motion::valueAt(outline->points, matteTime()) : std::vector<scene::PathPoint>{};
}

std::optional<scene::Area> CutView::area() const {
    const scene::Matte* matte = current();
    if (!matte) return std::nullopt;
    if (const auto* rectangle = std::get_if<scene::Rectangle>(&matte->shape))
        return motion::valueAt(rectangle->area, matteTime());
    if (const auto* ellipse = std::get_if<scene::Ellipse>(&matte->shape))
        return motion::valueAt(ellipse->area, matteTime());
    return std::nullopt;
}

void CutView::layerMayHaveChanged() {
    const auto l = layer();
    const std::int64_t id = l ? l->id : 0;
    if (id != m_layer) {
        m_layer = id;
        m_fitted = false;
        m_picture = {};
        m_points.clear();
        m_drawn.clear();
        m_cloneFrom.reset();
        m_guide = Guide::Off;
        m_matte = l && l->cutout && !l->cutout->mattes.empty()
                      ? static_cast<int>(l->cutout->mattes.size()) - 1
                      : -1;
        refreshBanner();
        Q_EMIT matteChanged();
    }
    const int count = l && l->cutout ? static_cast<int>(l->cutout->mattes.size()) : 0;
    if (m_matte >= count) {
        m_matte = count - 1;
        Q_EMIT matteChanged();
    }
    request();
}

void CutView::setTool(Tool tool) {
    m_tool = tool;
    m_points.clear();
    m_take = nullptr;
    setCursor(Qt::CrossCursor);
    Q_EMIT toolChanged();
    update();
}

void CutView::setShow(Show show) {
    m_show = show;
    Q_EMIT toolChanged();
    request();
}

void CutView::setMatte(int index) {
    if (index == m_matte) return;
    m_matte = index;
    Q_EMIT matteChanged();
    update();
}

void CutView::setBrushSize(double pixels) {
    m_brushSize = std::clamp(pixels, 1.0, 5000.0);
    Q_EMIT toolChanged();
    update();
}

void CutView::pickColour(std::function<void(const scene::Colour&)> take) {
    m_take = std::move(take);
    setCursor(Qt::PointingHandCursor);
    update();
}

// ---- where things are

V2d CutView::toPicture(const QPointF& place) const {
    return V2d((place.x() - m_origin.x()) / m_zoom, (place.y() - m_origin.y()) / m_zoom);
}
QPointF CutView::toView(const V2d& place) const {
    return m_origin + QPointF(place.x, place.y) * m_zoom;
}

void CutView::fit() {
    const auto l = layer();
    if (!l) return;
    constexpr double rim = 12;
    // The guide's bar lies below the picture, not over its foot.
    const double tall = m_guide == Guide::Off ? height() : m_banner->y() + 4;
    m_zoom = std::min((width() - 2 * rim) / l->pixels.x, (tall - 2 * rim) / l->pixels.y);
    m_zoom = std::clamp(m_zoom, 1e-3, 32.0);
    m_origin = {(width() - l->pixels.x * m_zoom) / 2, (tall - l->pixels.y * m_zoom) / 2};
    m_fitted = true;
    request();
}

// ---- the picture

void CutView::request() {
    update();
    const auto l = layer();
    if (!l || !isVisible()) return;
    if (!m_fitted) return fit();
    CutPictureRequest request;
    const auto pixels = motion::pixelsAt(*m_session.scene(), l, m_session.playhead.time());
    if (!pixels) return;
    request.pixels = std::make_shared<const motion::Pixels>(motion::plain(*pixels)); // is cut before all else
    request.cache = m_session.sharedSources();
    request.show = static_cast<int>(m_guide != Guide::Off ? Show::Before : m_show);
    request.perPixel = m_zoom * devicePixelRatioF();
    const V2d low = toPicture({0, 0}),
              high = toPicture({static_cast<double>(width()), static_cast<double>(height())});
    request.visible = QRectF(QPointF(low.x, low.y), QPointF(high.x, high.y));
    m_next = std::make_shared<Job>();
    m_next->request = std::move(request);
    if (m_busy)
        m_running->stop.request_stop();
    else
        start();
}

void CutView::start() {
    m_running = std::exchange(m_next, nullptr);
    m_busy = true;
    m_seconds = 0;
    m_tick.start();
    onWorker([self = QPointer(this), job = m_running] {
        const auto interim = [self, job](CutPicture coarse) {
            onInterface([self, job, coarse = std::move(coarse)] {
                if (!self || self->m_running != job || self->m_next) return;
                self->m_picture = coarse.image;
                self->m_place = coarse.place;
                self->update();
            });
        };
        auto made = guarded([&] {
            return cutPicture(job->request,
                              {[job](double share) { job->share = share; }, job->stop.get_token()}, interim);
        });
        onInterface([self, job, made = std::move(made)] {
            if (!self) return;
            self->m_busy = false;
            self->m_tick.stop();
            if (made) {
                self->m_picture = made->image;
                self->m_place = made->place;
            } else if (!made.error().cancelled) {
                Q_EMIT self->m_session.problem(QString::fromStdString(made.error().sentence));
            }
            self->update();
            if (self->m_next)
                self->start();
            else
                Q_EMIT self->shown();
        });
    });
}

void CutView::placeBanner() {
    const int tall = std::max(m_banner->sizeHint().height(), m_banner->heightForWidth(width() - 16));
    m_banner->setGeometry(8, height() - 8 - tall, width() - 16, tall);
}

void CutView::resizeEvent(QResizeEvent*) {
    placeBanner();
    fit();
}

void CutView::showEvent(QShowEvent*) {
    layerMayHaveChanged();
}

void CutView::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    painter.fillRect(rect(), theme::edge);
    const auto l = layer();
    if (!l) {
        painter.setPen(theme::dim);
        painter.setFont(theme::sans(12));
        painter.drawText(rect().adjusted(20, 20, -20, -20), Qt::AlignCenter | Qt::TextWordWrap,
                         tr("Select one layer, in the Camera view or in the timeline, to cut it out."));
        return;
    }
    const QRectF whole(toView({0, 0}), toView(V2d(l->pixels.x, l->pixels.y)));
    // Where nothing is: a quiet check.
    painter.save();
    painter.setClipRect(whole.intersected(rect()));
    for (int y = static_cast<int>(std::max(0.0, whole.top())) / 8;
         y * 8 < std::min<double>(height(), whole.bottom()); ++y)
        for (int x = static_cast<int>(std::max(0.0, whole.left())) / 8;
             x * 8 < std::min<double>(width(), whole.right()); ++x)
            painter.fillRect(x * 8, y * 8, 8, 8,
                             (x + y) % 2 ? QColor(0x3A, 0x3F, 0x44) : QColor(0x31, 0x36, 0x3B));
    painter.restore();
    if (!m_picture.isNull()) {
        painter.setRenderHint(QPainter::SmoothPixmapTransform, m_zoom < 3);
        painter.drawImage(QRectF(toView(V2d(m_place.left(), m_place.top())),
                                 toView(V2d(m_place.right(), m_place.bottom()))),
                          m_picture);
    }
    painter.setRenderHint(QPainter::Antialiasing);
    drawOverlay(painter);
    if (m_busy && m_seconds > 1) {
        const double share = m_running ? m_running->share.load() : 0;
        const QString text =
            share > 0.01 ? tr("Working… %1 % · Ctrl+Z takes it back").arg(static_cast<int>(share * 100))
                         : tr("Working…");
        painter.setFont(theme::sans(12));
        const QRectF box(10, 10, painter.fontMetrics().horizontalAdvance(text) + 20, 24);
        painter.setPen(Qt::NoPen);
        painter.setBrush(QColor(0x1C, 0x1F, 0x22, 220));
        painter.drawRoundedRect(box, 4, 4);
        painter.setPen(theme::text);
        painter.drawText(box, Qt::AlignCenter, text);
    }
}

void CutView::drawOverlay(QPainter& painter) {
    CutOverlay overlay(painter, [this](const V2d& place) { return toView(place); });
    if (m_guide != Guide::Off) {
        overlay.loops(m_near, theme::brass, tr("near"), width());
        overlay.loops(m_middle, QColor(0x8F, 0xC7, 0xC4), tr("middle"), width());
    } else if (current()) {
        drawMatte(overlay);
    }
    drawBegun(overlay);
    if (!m_stroke.dabs.empty())
        overlay.stroke(m_stroke, m_stroke.erase ? theme::edge : theme::vermilion, m_zoom);
    const bool brush = m_tool == Tool::Brush || m_tool == Tool::Clone;
    if (brush && m_over && m_guide == Guide::Off && !m_take) {
        const double radius = m_brushSize * m_zoom / 2;
        overlay.ring(m_hover, radius, theme::text);
        if (m_tool == Tool::Clone && m_cloneFrom)
            overlay.ring(m_hover + QPointF(m_cloneFrom->x, m_cloneFrom->y) * m_zoom, radius, theme::brass,
                         Qt::DashLine);
    }
}

/// The shape of the matte that is worked on.
void CutView::drawMatte(CutOverlay& overlay) const {
    const auto& shape = current()->shape;
    if (const auto points = outline(); !points.empty()) {
        overlay.line(overlay.curve(points, true), theme::text);
        overlay.handles(points, m_held.grip == Grip::Point ? m_held.which : -1);
    } else if (const auto box = area()) {
        overlay.area(*box, std::holds_alternative<scene::Ellipse>(shape));
    } else if (const auto* subject = std::get_if<scene::Subject>(&shape)) {
        overlay.line(overlay.polygon(subject->loop, true), theme::dim, Qt::DotLine);
    } else if (const auto* alike = std::get_if<scene::Alike>(&shape)) {
        overlay.dot(toView(alike->at), false, true);
    }
}

/// What is being drawn: a loop, an area, an outline.
void CutView::drawBegun(CutOverlay& overlay) const {
    if (m_held.grip == Grip::Shape && m_drawn.size() == 2) {
        QPainterPath path;
        const QRectF box = QRectF(toView(m_drawn[0]), toView(m_drawn[1])).normalized();
        m_tool == Tool::Ellipse ? path.addEllipse(box) : path.addRect(box);
        overlay.line(path, theme::vermilion);
    } else if (!m_drawn.empty()) {
        overlay.line(overlay.polygon(m_drawn, false), theme::vermilion);
    }
    if (m_points.empty()) return;
    auto points = m_points;
    if (m_held.grip != Grip::NewPoint && m_over) points.emplace_back(toPicture(m_hover));
    overlay.line(overlay.curve(points, false), theme::vermilion);
    overlay.handles(m_points, m_held.grip == Grip::Point ? m_held.which : -1);
}

// ---- splitting

void CutView::startSplit() {
    if (!layer()) return;
    m_near.clear();
    m_middle.clear();
    m_points.clear();
    m_guide = Guide::Near;
    refreshBanner();
    setFocus();
}

void CutView::refreshBanner() {
    const bool shown = m_guide != Guide::Off, changed = shown == m_banner->isHidden();
    m_banner->setVisible(shown);
    if (m_guide == Guide::Near) {
        m_bannerText->setText(m_near.empty()
                                  ? tr("1 of 2  Draw a rough loop around each thing that is near")
                                  : tr("1 of 2  Near: %1. Draw another, or go on").arg(m_near.size()));
        m_bannerNext->setText(tr("Next"));
        m_bannerNext->setEnabled(true);
    } else if (m_guide == Guide::Middle) {
        m_bannerText->setText(m_middle.empty()
                                  ? tr("2 of 2  Now each thing in the middle, or split right away")
                                  : tr("2 of 2  In the middle: %1").arg(m_middle.size()));
        m_bannerNext->setText(tr("Split"));
        m_bannerNext->setEnabled(!m_near.empty() || !m_middle.empty());
    }
    m_bannerBack->setEnabled(m_guide == Guide::Middle || !m_near.empty());
    m_join->setVisible(m_near.size() > 1 || m_middle.size() > 1);
    placeBanner();
    Q_EMIT toolChanged();
    changed ? fit() : request();
}

void CutView::finishSplit() {
    const auto l = layer();
    if (!l) return;
    edit::Edit split = {{"edit", "split"}, {"layer", l->id}};
    for (const auto& [key, loops] : {std::pair("near", &m_near), std::pair("middle", &m_middle)})
        for (const auto& loop : *loops)
            split[key].push_back({{"loop", pairs(loop)}});
    if (m_join->isChecked()) split["join"] = true;
    m_guide = Guide::Off;
    m_session.document.apply(split);
    refreshBanner();
}

}
