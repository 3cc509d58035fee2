#include "core/guide/controllers.h"

#include "core/guide/model_controller.h"
#include "core/guide/proportional_controller.h"
#include "core/guide/trend_controller.h"

namespace nordstjerna {

namespace {

// The model is asked once a frame, by the loop; here is what it answered.
class ModelInCharge : public Controller {
public:
    explicit ModelInCharge(const ModelController& model) : model_(model) {}
    double correction(const AxisInput&, bool) override { return model_.lastCorrection(); }

private:
    const ModelController& model_;
};

std::vector<ControllerDescriptor>& table() {
    static std::vector<ControllerDescriptor> all{
        {ControllerKind::model, "model", Text::mark("Model predicts the axis and its backlash."), false, true,
         false, Text::mark("It predicts worm and drift instead of following them, and ignores the seeing."),
         Text::mark("It corrects the drift, ignores the seeing and allows for backlash."),
         [](const AxisSettings&, const ModelController& model) -> std::unique_ptr<Controller> {
             return std::make_unique<ModelInCharge>(model);
         }},
        {ControllerKind::trend, "trend", Text::mark("Trend follows its slow course."), false, false, true,
         Text::mark("This axis moves so smoothly that its course over the last minutes is enough."),
         Text::mark("This axis moves so smoothly that its course over the last minutes is enough."),
         [](const AxisSettings&, const ModelController&) -> std::unique_ptr<Controller> {
             return std::make_unique<TrendController>();
         }},
        {ControllerKind::proportional, "proportional",
         Text::mark("Proportional corrects a share of each error."), true, false, false,
         Text::mark("On this axis a plain share of each error does best."),
         Text::mark("On this axis a plain share of each error does best."),
         [](const AxisSettings& settings, const ModelController&) -> std::unique_ptr<Controller> {
             return std::make_unique<ProportionalController>(settings);
         }},
    };
    return all;
}

} // namespace

const std::vector<ControllerDescriptor>& controllers() {
    return table();
}

const ControllerDescriptor& controllerOf(ControllerKind kind) {
    for (const ControllerDescriptor& c : table())
        if (c.kind == kind)
            return c;
    return table().front();
}

std::optional<ControllerKind> controllerFrom(const std::string& id) {
    for (const ControllerDescriptor& c : table())
        if (id == c.id)
            return c.kind;
    return std::nullopt;
}

FurtherController::FurtherController(const ControllerDescriptor& descriptor) {
    table().push_back(descriptor);
}

FurtherController::~FurtherController() {
    table().pop_back();
}

} // namespace nordstjerna
