// Decompositions of matrices, compiled once: each takes a compiler longer to read than the file that asks for it.
#pragma once

#include <Eigen/Core>

namespace facet {

/// x of matrix · x = right, for a symmetric matrix (robust Cholesky decomposition; G. H. Golub, C. F. Van Loan, "Matrix
/// Computations", 4th edition, 2013, section 4.1).
Eigen::VectorXd solveSymmetric(const Eigen::MatrixXd& matrix, const Eigen::VectorXd& right);

/// Inverse of a symmetric matrix, by the same decomposition.
Eigen::MatrixXd inverseOfSymmetric(const Eigen::MatrixXd& matrix);

/// Orthonormal columns that span the same as those of a matrix with at least as many rows as columns (Householder's
/// reflections; the same book, section 5.2).
Eigen::MatrixXd orthonormalBasis(const Eigen::MatrixXd& columns);

/// The coefficients of the columns that come nearest to `values`, in the sense of least squares.
Eigen::VectorXd nearestCombination(const Eigen::MatrixXd& columns, const Eigen::VectorXd& values);

/// Eigenvectors of a symmetric matrix as columns, and its eigenvalues in growing order.
struct PrincipalAxes {
    Eigen::MatrixXd vectors;
    Eigen::VectorXd values;
};
PrincipalAxes principalAxes(const Eigen::MatrixXd& symmetric);

} // namespace facet
