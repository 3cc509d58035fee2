// Takes darks behind a covered telescope and makes their mean and bad-pixel map.
#pragma once

#include "core/image/darks.h"
#include "core/procedure/procedure.h"

namespace nordstjerna {

class DarkTaking : public Procedure {
public:
    DarkTaking(double exposure_s, int count) : exposure_s_(exposure_s), count_(count) {}
    Step advance(const Event& event) override;
    Progress progress() const override;
    std::string name() const override { return "Darks"; }
    bool needsMount() const override { return false; }
    const std::optional<MasterDark>& result() const { return result_; }

private:
    double exposure_s_;
    int count_;
    std::vector<Frame> frames_;
    std::optional<MasterDark> result_;
};

} // namespace nordstjerna
