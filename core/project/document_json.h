// Documents as JSON, without their audio. Shared by the project file and the journal.
#pragma once

#include "core/project/document.h"

#include <functional>
#include <string>

namespace facet {

/// Project head (name, ids) and one entry per cue; audio is named by its key.
std::string documentToJson(const Document& document);
std::string headToJson(const Document& document);
std::string cueToJson(const Cue& cue);

/// Bytes of an excerpt's audio by key; throws Error when it is gone.
using AudioSource = std::function<std::shared_ptr<const std::string>(const std::string& key)>;
Document documentFromJson(const std::string& text, const AudioSource& audio);
/// Sets name, active cue, order of cues and counters; cues that are not listed go.
void applyHead(Document& document, const std::string& text, const AudioSource& audio);
Cue cueFromJson(const std::string& text, const AudioSource& audio);

} // namespace facet
