// The parts of a sound's summary, each of which adds a fixed number of measurements.
#pragma once

#include "core/prior/sound_frames.h"

#include <vector>

namespace facet {

/// Bands at times after each onset, over the moments: mean and spread; after the notes' ends: how they fall.
void addOnsets(const SoundFrames& sound, std::vector<float>& summary);
/// Levels of partials and of what lies between them, and how these go with key and velocity; how wide partials are.
void addPartials(const SoundFrames& sound, std::vector<float>& summary);
/// What goes round in level, brightness, bands and sides, once what the notes do is out.
void addMotion(const SoundFrames& sound, std::vector<float>& summary);
/// What the pitch does in each note, and what goes round in it.
void addPitch(const SoundFrames& sound, std::vector<float>& summary);
/// How the sides differ.
void addSides(const SoundFrames& sound, std::vector<float>& summary);
/// What begins again after each onset though nothing is played.
void addRepeats(const SoundFrames& sound, std::vector<float>& summary);
/// How samples and levels are distributed, and how levels go with what is played.
void addDistribution(const SoundFrames& sound, std::vector<float>& summary);
/// What is played.
void addNotes(const SoundFrames& sound, std::vector<float>& summary);

} // namespace facet
