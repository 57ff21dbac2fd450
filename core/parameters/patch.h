// A patch: the values of all parameters, addressed by module path and field.
#pragma once

#include "core/parameters/table.h"

#include <compare>
#include <cstdint>
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

/// A value type. Copies are independent.
class Patch {
public:
    struct Module {
        std::string path;
        ModuleKind kind;
        std::vector<double> values; ///< in the order of parametersOf(kind)
        friend bool operator==(const Module&, const Module&) = default;
    };

    /// The empty patch: one saw at the note, no filter, 2 ms attack and release.
    Patch();

    std::string name;
    /// JSON text of what a newer program wrote and this one does not know; written back untouched.
    std::string unknown;

    const std::vector<Module>& modules() const { return modules_; }
    const Module* find(std::string_view path) const;
    /// How people read a module: "Source 2", "Level envelope".
    std::string labelOf(const Module& module) const;

    bool has(const Address& address) const;
    /// Throws Error for an address the patch does not have.
    double value(const Address& address) const;
    const ParameterDescriptor& descriptor(const Address& address) const;
    /// Throws Error for an unknown address, a value out of range or not a number, or a fraction where only
    /// whole values make sense.
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
    std::vector<Module> modules_;
};

/// Addresses where the two differ in value.
std::vector<Address> changedAddresses(const Patch& before, const Patch& after);

} // namespace facet
