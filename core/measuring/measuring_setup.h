// How an instrument stands while one of its controls is measured.
#pragma once

#include "core/instruments/instrument.h"
#include "core/instruments/played_on.h"

#include <string>
#include <vector>

namespace facet {

/// A plain sound in which one control is heard by itself. What has no control stands as the instrument has it.
struct MeasuringSetup {
    Patch patch{}; ///< of the instrument; the measured control stands half-way
    /// What to set, in the instrument's words; the measured control is not there.
    std::vector<ControlSetting> settings{};
    double holdSeconds = 2.0; ///< how long each note is to be held
    /// The notes tell it by how loud they are beside each other, so that they need the same gain; the loudest has the
    /// value that is described for its position.
    bool isByLevel = false;
    bool isHeardAlone = false; ///< of a source's control: no other source sounds
};

/// For one of the instrument's controls. Throws Error for what cannot be measured: choices, and what sets how the
/// instrument is played rather than how a note sounds.
MeasuringSetup measuringSetup(const Instrument& instrument, const InstrumentControl& control);

/// So many positions that the scale has, evenly from end to end; fewer where its steps are fewer.
std::vector<double> spreadPositions(const ControlScale& scale, int count);

/// Throws Error unless these are two or more different positions of a control that has a scale.
void requirePositions(const InstrumentControl& control, const std::vector<double>& positions);

} // namespace facet
