// The continuous parameters that a search may move in one patch.
#pragma once

#include "core/parameters/search_limits.h"

#include <Eigen/Core>
#include <vector>

namespace facet {

/// What the references can determine at all (identifiable parameters, in the sense of least squares).
struct Identifiable {
    bool width = true;      ///< they have two channels that differ
    bool keys = true;       ///< their notes differ by at least three semitones
    bool velocities = true; ///< and by at least five in velocity
    /// A filter that does not follow the keys may begin to. Otherwise it follows them only where a hypothesis lets it:
    /// as one value more it takes up a little of whatever is wrong.
    bool newKeyTracking = true;
};

/// Coordinates in [0, 1] on each parameter's own scale. Only what can be heard takes part: nothing of a
/// module that is off, no pulse width without a pulse, no detune of a single voice, no key tracking of one note.
/// Values and amounts of links move within plausible ranges, or given ones; a plausible range reaches to where the
/// patch stands. Of parameters that are tied to each other, one does.
class SearchSpace {
public:
    SearchSpace(const Patch& patch, const SearchLimits& limits, const Identifiable& identifiable);

    const std::vector<Address>& addresses() const { return addresses_; }
    int size() const { return static_cast<int>(addresses_.size()); }
    const Eigen::VectorXd& lower() const { return lower_; }
    const Eigen::VectorXd& upper() const { return upper_; }

    /// Coordinates of the patch's values, clamped into the space.
    Eigen::VectorXd positionOf(const Patch& patch) const;
    /// `base` with the values at a position.
    Patch patchAt(const Patch& base, const Eigen::VectorXd& position) const;

private:
    std::vector<Address> addresses_;
    Eigen::VectorXd lower_;
    Eigen::VectorXd upper_;
    std::vector<std::pair<double, double>> ends_; ///< of each, in its unit: scales do not come back to them exactly
};

} // namespace facet
