// A frame of the imaging camera with the shapes of its stars drawn large: all of one size, what is out of
// round drawn out fourfold, or nobody would see it.
#pragma once

#include "core/image/frame_look.h"
#include "desk/pictures/frame_view.h"

namespace nordstjerna {

class ShapedFrame : public FrameView {
    Q_OBJECT
public:
    explicit ShapedFrame(const QString& exportName, QWidget* parent = nullptr);
    void show(std::shared_ptr<const Frame> frame, const FrameLook& look);
    const FrameLook& look() const { return look_; }

private:
    FrameLook look_;
};

} // namespace nordstjerna
