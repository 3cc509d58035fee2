#include "core/base/symmetric.h"

namespace nordstjerna {

Eigen::MatrixXd gram(const Eigen::MatrixXd& design) {
    Eigen::MatrixXd normal = Eigen::MatrixXd::Zero(design.cols(), design.cols());
    normal.selfadjointView<Eigen::Lower>().rankUpdate(design.transpose());
    return normal.selfadjointView<Eigen::Lower>();
}

Eigen::VectorXd transposeTimes(const Eigen::MatrixXd& design, const Eigen::VectorXd& y) {
    return design.transpose() * y;
}

Eigen::VectorXd timesVector(const Eigen::MatrixXd& design, const Eigen::VectorXd& x) {
    return design * x;
}

} // namespace nordstjerna
