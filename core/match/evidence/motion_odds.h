// What a measured tremolo or gate says, which no network hears as well.
#pragma once

#include "core/analysis/facets/motion.h"
#include "core/prior/element_odds.h"

namespace facet {

/// What was known of the elements, with a tremolo that was measured at least three times as likely as not, and a gate
/// whose rhythm was measured seven times: on the tuning half of the sounds of known making 3 of 4 measured tremolos and
/// 3 of 3 rhythms were there (docs/accuracy.md). Where nothing was known everything stays.
ElementOdds withMeasuredMotion(const ElementOdds& before, const MotionProfile& motion);

} // namespace facet
