// The controllers there are: one table, from which the loop, the search for settings, files, commands and the
// window take what they need. A further controller is a file of its own and a line in controllers.cpp.
#pragma once

#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "core/base/text.h"
#include "core/guide/controller.h"

namespace nordstjerna {

class ModelController;

struct ControllerDescriptor {
    ControllerKind kind{};
    const char* id = "";   // in files, commands and choices
    const char* help = ""; // a sentence for people
    // Gain, deadband and smoothing are its settings. Others need none: theirs follow from what they measure.
    bool hasGain = false;
    // Learns by itself while it guides: not given up for the luck of one record.
    bool learns = false;
    // Moves the mount so rarely that a pause as long as the exposure does no harm once it is settled.
    bool mayPause = false;
    const char* reasonRa = ""; // why it is proposed for an axis
    const char* reasonDec = "";
    // The model looks on whoever is in charge; a controller may use what it believes.
    std::unique_ptr<Controller> (*make)(const AxisSettings& settings, const ModelController& model) = nullptr;
};

// In the order in which people are offered them.
const std::vector<ControllerDescriptor>& controllers();
// Of a kind that is in the table; the model of one that is not.
const ControllerDescriptor& controllerOf(ControllerKind kind);
std::optional<ControllerKind> controllerFrom(const std::string& id);

// For the life of this object there is one controller more. Not while a loop runs, nor from two threads.
class FurtherController {
public:
    explicit FurtherController(const ControllerDescriptor& descriptor);
    ~FurtherController();
    FurtherController(const FurtherController&) = delete;
    FurtherController& operator=(const FurtherController&) = delete;
};

} // namespace nordstjerna
