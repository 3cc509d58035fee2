// Reads frames from files beside the window, and measures them. Only the newest wish is answered.
#pragma once

#include <QObject>
#include <filesystem>
#include <future>

#include "core/base/problem.h"
#include "core/image/frame_look.h"

namespace nordstjerna {

class FrameReader : public QObject {
    Q_OBJECT
public:
    struct Read {
        std::shared_ptr<const Frame> frame;
        FrameLook look;
    };
    using Done = std::function<void(const Expected<Read>&)>; // in the window's thread

    explicit FrameReader(QObject* parent) : QObject(parent) {}
    ~FrameReader() override;
    void read(const std::filesystem::path& path, Done done);
    bool reading() const { return reading_; }

private:
    void begin();
    std::filesystem::path wanted_;
    Done done_;
    bool reading_ = false;
    std::future<void> work_;
};

} // namespace nordstjerna
