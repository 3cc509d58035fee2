#include "core/base/line_fit.h"

#include <algorithm>
#include <cmath>
#include <vector>

#include "core/base/statistics.h"

namespace nordstjerna {

Expected<LineFit> fitLine(std::span<const double> x, std::span<const double> y) {
    const size_t n = x.size();
    if (n < 3 || y.size() != n)
        return problem(Text::say("Too few points for a line."), Text::say("At least three are needed."),
                       Text::say("Record longer."));
    LineFit fit;
    fit.xMean = mean(x);
    const double yMean = mean(y);
    double sxx = 0.0;
    double sxy = 0.0;
    for (size_t i = 0; i < n; ++i) {
        sxx += (x[i] - fit.xMean) * (x[i] - fit.xMean);
        sxy += (x[i] - fit.xMean) * (y[i] - yMean);
    }
    if (!(sxx > 0.0))
        return problem(Text::say("No line can be fitted."), Text::say("All points share one time."),
                       Text::say("Check the time column."));
    fit.slope.value = sxy / sxx;
    fit.intercept.value = yMean;
    std::vector<double> residual(n);
    double sum = 0.0;
    for (size_t i = 0; i < n; ++i) {
        residual[i] = y[i] - fit.at(x[i]);
        sum += residual[i] * residual[i];
    }
    fit.residualSigma = std::sqrt(sum / static_cast<double>(n - 2));
    const double r = std::clamp(autocorrelation(residual, 1), 0.0, 0.98);
    fit.inflation = std::sqrt((1.0 + r) / (1.0 - r));
    fit.intercept.sigma = fit.inflation * fit.residualSigma / std::sqrt(static_cast<double>(n));
    fit.slope.sigma = fit.inflation * fit.residualSigma / std::sqrt(sxx);
    return fit;
}

} // namespace nordstjerna
