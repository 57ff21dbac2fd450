#include "core/dsp/linear_algebra.h"

#include <Eigen/Cholesky>
#include <Eigen/Eigenvalues>
#include <Eigen/QR>

namespace facet {

Eigen::VectorXd solveSymmetric(const Eigen::MatrixXd& matrix, const Eigen::VectorXd& right) {
    return matrix.ldlt().solve(right);
}

Eigen::MatrixXd inverseOfSymmetric(const Eigen::MatrixXd& matrix) {
    return matrix.ldlt().solve(Eigen::MatrixXd::Identity(matrix.rows(), matrix.cols()));
}

Eigen::MatrixXd orthonormalBasis(const Eigen::MatrixXd& columns) {
    return Eigen::HouseholderQR<Eigen::MatrixXd>(columns).householderQ() *
           Eigen::MatrixXd::Identity(columns.rows(), columns.cols());
}

Eigen::VectorXd nearestCombination(const Eigen::MatrixXd& columns, const Eigen::VectorXd& values) {
    return columns.householderQr().solve(values);
}

PrincipalAxes principalAxes(const Eigen::MatrixXd& symmetric) {
    const Eigen::SelfAdjointEigenSolver<Eigen::MatrixXd> solved(symmetric);
    return {solved.eigenvectors(), solved.eigenvalues()};
}

} // namespace facet
