#include "core/performance/slow_motion.h"

#include <cmath>

namespace facet {

Performance slowed(const Performance& performance, double times) {
    Performance slow = performance;
    for (Note& note : slow.notes) {
        note.start *= times;
        note.end *= times;
    }
    for (CurvePoint& point : slow.bends) point.seconds *= times;
    for (Curve& curve : slow.curves)
        for (CurvePoint& point : curve.points) point.seconds *= times;
    slow.tempo /= times;
    slow.downbeat *= times;
    slow.frames = static_cast<int>(std::lround(performance.frames * times));
    return slow;
}

} // namespace facet
