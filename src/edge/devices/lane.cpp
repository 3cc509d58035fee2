#include "edge/devices/lane.h"

namespace nordstjerna {

Problem Lane::silent() const {
    return {"The " + device_ + " does not answer.", "It was told something and has not come back from it.",
            "Check its cable and its power.", true};
}

} // namespace nordstjerna
