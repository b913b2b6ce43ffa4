// How the scene's frame lies in a view.
#include "desk/camera/frame_fit.h"

#include <gtest/gtest.h>

namespace stage::desk {
namespace {

constexpr V2i frame{1920, 1080};

void expectSame(const QPointF& a, const QPointF& b) {
    EXPECT_NEAR(a.x(), b.x(), 1e-9);
    EXPECT_NEAR(a.y(), b.y(), 1e-9);
}

TEST(FrameFit, TheWholeFrameFitsInTheMiddle) {
    const FrameFit wide = FrameZoom{}.fit({960, 640}, frame);
    EXPECT_EQ(wide.rect, QRectF(0, 50, 960, 540));
    EXPECT_DOUBLE_EQ(wide.pixelsEach(), 0.5);
    const FrameFit narrow = FrameZoom{}.fit({1000, 270}, frame);
    EXPECT_EQ(narrow.rect, QRectF(260, 0, 480, 270));
}

TEST(FrameFit, PlacesGoThereAndBack) {
    const FrameFit fit = FrameZoom{2.5, {13, -7}}.fit({960, 640}, frame);
    const V2d place(321.5, 1000);
    const V2d back = fit.toFrame(fit.toView(place));
    EXPECT_NEAR(back.x, place.x, 1e-9);
    EXPECT_NEAR(back.y, place.y, 1e-9);
    expectSame(fit.toView(V2d(frame) / 2.0), fit.rect.center());
    EXPECT_NEAR(fit.shareAt(fit.toView({480, 0}), true), 0.25, 1e-12);
    EXPECT_NEAR(fit.shareAt(fit.toView({0, 810}), false), 0.75, 1e-12);
}

TEST(FrameFit, WhatIsUnderThePointerStaysThereAsItZooms) {
    const QSizeF view(960, 640);
    const QPointF pointer(700, 120);
    FrameZoom zoom;
    const V2d before = zoom.fit(view, frame).toFrame(pointer);
    for (const double factor : {1.5, 3.0, 0.5}) {
        zoom.zoomAt(pointer, view, factor);
        expectSame(zoom.fit(view, frame).toView(before), pointer);
    }
    EXPECT_DOUBLE_EQ(zoom.zoom, 2.25);
    // Back to all of it, it is in the middle again; it goes no further than 0.2 and 16.
    zoom.zoomAt(pointer, view, 1 / 2.25);
    EXPECT_EQ(zoom.shift, QPointF());
    zoom.zoomAt(pointer, view, 1e6);
    EXPECT_DOUBLE_EQ(zoom.zoom, 16);
    zoom.zoomAt(pointer, view, 1e-9);
    EXPECT_DOUBLE_EQ(zoom.zoom, 0.2);
}

TEST(FrameFit, ABoxIsShownInTheMiddleAndFillsMostOfTheView) {
    const QSizeF view(960, 640);
    FrameZoom zoom{3, {5, 5}}; // whatever it was before
    zoom.show({1000, 200}, {1400, 400}, view, frame);
    const FrameFit fit = zoom.fit(view, frame);
    expectSame(fit.toView({1200, 300}), {480, 320});
    // Its width is nearer to the view's than its height: 0.85 of that.
    EXPECT_NEAR(fit.toView({1400, 300}).x() - fit.toView({1000, 300}).x(), 0.85 * 960, 1e-9);
}

}
}
