// Symmetric positive systems (the normal equations of least squares) by Cholesky's way without roots: A = L D
// Lᵀ. Plain loops: the matrices are small, and expression templates of this size cost more in building than
// they save in running.
#pragma once

#include <Eigen/Core>
#include <cmath>

namespace nordstjerna {

template <int N>
class SymmetricSolver {
public:
    using Matrix = Eigen::Matrix<double, N, N>;
    using Vector = Eigen::Matrix<double, N, 1>;

    // Only the lower triangle of `a` is read. A direction in which it is singular (to 1e-14 of its diagonal)
    // is left out: the solution has nothing of it, the inverse a very large variance.
    explicit SymmetricSolver(const Matrix& a) : factor_(a) {
        const Eigen::Index n = a.rows();
        for (Eigen::Index j = 0; j < n; ++j) {
            const double own = a(j, j);
            double d = own;
            for (Eigen::Index k = 0; k < j; ++k)
                d -= factor_(j, k) * factor_(j, k) * factor_(k, k);
            const bool flat = !(std::abs(d) > 1e-14 * std::abs(own)) || own == 0.0;
            factor_(j, j) = flat ? 1e300 : d;
            for (Eigen::Index i = j + 1; i < n; ++i) {
                double v = a(i, j);
                for (Eigen::Index k = 0; k < j; ++k)
                    v -= factor_(i, k) * factor_(j, k) * factor_(k, k);
                factor_(i, j) = flat ? 0.0 : v / d;
            }
        }
    }

    Vector solve(Vector b) const {
        const Eigen::Index n = factor_.rows();
        for (Eigen::Index i = 0; i < n; ++i)
            for (Eigen::Index k = 0; k < i; ++k)
                b[i] -= factor_(i, k) * b[k];
        for (Eigen::Index i = 0; i < n; ++i)
            b[i] /= factor_(i, i);
        for (Eigen::Index i = n - 1; i >= 0; --i)
            for (Eigen::Index k = i + 1; k < n; ++k)
                b[i] -= factor_(k, i) * b[k];
        return b;
    }

    // Of its absolute value; directions in which it is singular left out.
    double logDeterminant() const {
        double sum = 0.0;
        for (Eigen::Index i = 0; i < factor_.rows(); ++i)
            if (factor_(i, i) < 1e300)
                sum += std::log(std::abs(factor_(i, i)));
        return sum;
    }

    Matrix inverse() const {
        const Eigen::Index n = factor_.rows();
        Matrix result = factor_;
        for (Eigen::Index j = 0; j < n; ++j) {
            Vector e = Vector::Zero(n);
            e[j] = 1.0;
            e = solve(e);
            for (Eigen::Index i = 0; i < n; ++i)
                result(i, j) = e[i];
            if (factor_(j, j) >= 1e300)
                result(j, j) = 1e300;
        }
        return result;
    }

private:
    Matrix factor_; // D on the diagonal, L below it
};

template <int N>
Eigen::Matrix<double, N, 1> solveSymmetric(const Eigen::Matrix<double, N, N>& a,
                                           const Eigen::Matrix<double, N, 1>& b) {
    return SymmetricSolver<N>(a).solve(b);
}

template <int N>
Eigen::Matrix<double, N, N> invertSymmetric(const Eigen::Matrix<double, N, N>& a) {
    return SymmetricSolver<N>(a).inverse();
}

// designᵀ·design and designᵀ·y of a tall matrix.
Eigen::MatrixXd gram(const Eigen::MatrixXd& design);
Eigen::VectorXd transposeTimes(const Eigen::MatrixXd& design, const Eigen::VectorXd& y);
// design·x
Eigen::VectorXd timesVector(const Eigen::MatrixXd& design, const Eigen::VectorXd& x);

} // namespace nordstjerna
