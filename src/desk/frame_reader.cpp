#include "desk/frame_reader.h"

#include "edge/store/fits.h"

namespace nordstjerna {

namespace {
Expected<FrameReader::Read> readFrame(const std::filesystem::path& path) {
    auto frame = readFits(path);
    if (!frame)
        return tl::unexpected(frame.error());
    FrameReader::Read r;
    r.frame = std::make_shared<const Frame>(std::move(*frame));
    // A frame without stars is one to look at all the same.
    if (const auto field = detectStars(*r.frame))
        r.look = lookAt(*r.frame, *field);
    return r;
}
} // namespace

FrameReader::~FrameReader() {
    if (work_.valid())
        work_.wait();
}

void FrameReader::read(const std::filesystem::path& path, Done done) {
    wanted_ = path;
    done_ = std::move(done);
    if (!reading_)
        begin();
}

void FrameReader::begin() {
    reading_ = true;
    work_ = std::async(std::launch::async, [this, path = wanted_] {
        auto read = std::make_shared<Expected<Read>>(readFrame(path));
        QMetaObject::invokeMethod(
            this,
            [this, path, read] {
                reading_ = false;
                if (path != wanted_)
                    begin(); // another one was wished for meanwhile
                else if (done_)
                    done_(*read);
            },
            Qt::QueuedConnection);
    });
}

} // namespace nordstjerna
