// A patch: the values of all parameters, addressed by module path and field.
#pragma once

#include "core/parameters/limits.h"
#include "core/parameters/module_data.h"
#include "core/parameters/table.h"

#include <compare>
#include <cstdint>
#include <memory>
#include <optional>
#include <set>
#include <span>
#include <string>
#include <string_view>
#include <vector>

namespace facet {

/// Names one parameter of one module, for example "layer:a/source:b/cents". Module keys are given when a
/// module is made, kept in files and never reused; positions are never stored.
struct Address {
    std::string module; ///< path of the module: "layer:a/source:b", "output"
    std::string field;  ///< "cents"

    std::string text() const { return module + "/" + field; }
    /// Splits at the last slash. Throws Error when the text has no module or no field.
    static Address parse(std::string_view text);
    friend auto operator<=>(const Address&, const Address&) = default;
};

/// Most modules of a kind (limits.h): in a layer, or of layers and of what belongs to the whole patch.
int mostOf(ModuleKind kind);

/// The kind that a path names, or nothing when no patch could have it: "voicing", "output", "layer:K",
/// "layer:K/source:K" and likewise filter, envelope, lfo; "link:K", "macro:K", "reverb:K" and the other effects; K of
/// a–z, 0–9 and hyphens.
std::optional<ModuleKind> kindOfPath(std::string_view path);
/// "layer:a" of "layer:a/source:b"; empty for what belongs to the whole patch.
std::string_view layerOfPath(std::string_view path);
/// "b" of "layer:a/source:b".
std::string_view keyOfPath(std::string_view path);

/// Parameters that belong together: a change of one changes the others.
struct Tie {
    std::vector<Address> members;
    /// Keep their distances on their scales, and stop together where one comes to its end; otherwise they are equal.
    bool offset = false;
    friend bool operator==(const Tie&, const Tie&) = default;
};

/// A value type. Copies are independent.
class Patch {
public:
    struct Module {
        std::string path;
        ModuleKind kind;
        std::vector<double> values;             ///< in the order of parametersOf(kind)
        std::shared_ptr<const ModuleData> data; ///< null: none
        std::uint64_t dataHash = 0;             ///< of data, which is long; 0: none
        friend bool operator==(const Module& a, const Module& b) {
            return a.path == b.path && a.kind == b.kind && a.values == b.values && a.contents() == b.contents();
        }
        /// Never null.
        const ModuleData& contents() const;
    };

    /// The empty patch: one saw at the note, no filter, 2 ms attack and release.
    Patch();

    std::string name;
    /// JSON text of what a newer program wrote and this one does not know; written back untouched.
    std::string unknown;

    /// In signal order: voicing, each layer with its sources, filters, envelopes and LFOs, effects in the order in
    /// which they are passed, links, macros, output.
    const std::vector<Module>& modules() const { return modules_; }
    /// Adds a module with defaults, which are inaudible. Throws Error for a path that names nothing, is taken, lies in
    /// no layer of the patch, or would be one too many.
    void add(std::string_view path);
    /// A path with the first key that was never used: add(freePath(ModuleKind::lfo, "layer:a")).
    std::string freePath(ModuleKind kind, std::string_view layer = {}) const;
    /// Whether the module is part of every patch.
    static bool isFixed(std::string_view path);
    /// Puts an effect at another place among the effects, 0 being the first. Throws Error for what is no effect of the
    /// patch; a place beyond the last is the last.
    void moveEffect(std::string_view path, int place);
    /// Removes a module, a layer with all it holds, and the links and ties that would lose an end. Throws Error for one
    /// that is fixed or not there.
    void remove(std::string_view path);
    /// Throws Error for a module that is not there, or data that it cannot hold (see dataProblem()).
    void setData(std::string_view path, const ModuleData& data);

    /// Paths of modules that are gone; their keys are not given again.
    const std::set<std::string>& retired() const { return retired_; }
    void retire(const std::string& path) { retired_.insert(path); }

    const std::vector<Tie>& ties() const { return ties_; }
    /// Throws Error for fewer than two members, unknown or discrete ones, or one that is tied already. Equal ones take
    /// the first one's value.
    void tie(const Tie& tie);
    void untie(const Address& member);
    const Module* find(std::string_view path) const;
    /// How people read a module: "Source 2", "Level envelope".
    std::string labelOf(const Module& module) const;

    bool has(const Address& address) const;
    /// Throws Error for an address the patch does not have.
    double value(const Address& address) const;
    const ParameterDescriptor& descriptor(const Address& address) const;
    /// The same as it is shown: the amount of a link has the unit in which its destination is moved, and a range that
    /// moves it from end to end. Throws as descriptor().
    ParameterDescriptor shownDescriptor(const Address& address) const;
    /// Throws Error for an unknown address, a value out of range or not a number, or a fraction where only
    /// whole values make sense. What is tied to it follows.
    void set(const Address& address, double value);
    /// Sets the nearest allowed value. Throws Error only for an unknown address.
    void setNearest(const Address& address, double value);
    /// Every address, in signal order.
    std::vector<Address> addresses() const;

    /// Hash of all values (not of the name).
    std::uint64_t hash() const;
    /// Equality of sound: values only.
    bool soundsLike(const Patch& other) const { return modules_ == other.modules_; }
    friend bool operator==(const Patch&, const Patch&) = default;

private:
    Module& module(std::string_view path);
    void setAlone(const Address& address, double value);
    std::vector<Module> modules_;
    std::vector<Tie> ties_;
    std::set<std::string> retired_;
};

/// What can move parameters besides modules: "velocity" (0…1), "key" (octaves from middle C), "wheel", "pressure"
/// (0…1), "random" (−1…1, drawn for each note), "noise" (−1…1, ever new). Modules that can: macros (0…1), envelopes
/// (0…1), LFOs (−1…1), and sources, sample by sample, for what follows them so (see movesBySample()).
std::span<const std::string_view> performanceSources();

/// Whether sources may move this parameter: phase, cents, pulse width, position and amplitude of a source, cutoff of a
/// filter.
bool movesBySample(const ParameterDescriptor& descriptor);

/// Why a module of the patch cannot hold such data, as a sentence; empty when it can. Of a link: its ends must be
/// there, lie in the same layer or in none, and not lead back to themselves through other links' amounts.
/// A link that lacks an end moves nothing.
std::string dataProblem(const Patch& patch, const Patch::Module& module, const ModuleData& data);

/// Addresses where the two differ in value.
std::vector<Address> changedAddresses(const Patch& before, const Patch& after);

} // namespace facet
