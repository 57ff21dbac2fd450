// The scale of a control, measured from recordings of the instrument with the control at a few positions.
#pragma once

#include "core/base/task.h"
#include "core/measuring/measuring_setup.h"
#include "core/measuring/takes.h"

#include <functional>
#include <string>
#include <vector>

namespace facet {

/// What one recording tells of the position that the control had.
struct MeasuredPosition {
    double position = 0.0; ///< as the instrument writes it
    double value = 0.0;    ///< in the parameter's unit, at which Facet's render comes nearest to the recording
    double lowest = 0.0, highest = 0.0; ///< values whose renders come about as near
    bool isIdentifiable = false;        ///< false: the recording does not tell it, and `why` says so
    std::string why{};
};

/// The values of the control in notes of the instrument that was set as `setup` says and played at the MIDI key `key`,
/// one for each position: found by rendering the setup at values all along the parameter's range, and closer around the
/// nearest. What an LFO does is taken from the periodic change that analysis measures, the level of a source from how
/// loud the notes are beside each other. `soFar` is called after each, on this thread. Throws Cancelled.
std::vector<MeasuredPosition>
measurePositions(const MeasuringSetup& setup, const InstrumentControl& control, const std::vector<double>& positions,
                 const std::vector<SingleNote>& notes, int key, int threads, const Task& task = {},
                 const std::function<void(const std::vector<MeasuredPosition>&)>& soFar = {});

/// The plainest law that passes all identifiable positions within a fiftieth of the way (linear, logarithmic, power),
/// else the positions themselves as points. Positions that go back in value are marked as unidentifiable. Throws Error
/// where fewer than two remain.
ControlScale scaleThrough(std::vector<MeasuredPosition>& positions, const InstrumentControl& control,
                          const ParameterDescriptor& descriptor);

} // namespace facet
