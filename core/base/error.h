// The one error type of Facet's core.
#pragma once

#include <exception>
#include <stdexcept>
#include <string>

namespace facet {

/// Thrown at the boundary of the core when an input or the machine does not allow what was asked.
/// `what()` is one sentence fit for a producer: it says what is wrong and what to do about it.
/// `detail()` is for the log (a library's message, a path to a value) and may be empty.
class Error : public std::runtime_error {
public:
    explicit Error(const std::string& sentence, std::string detail = {})
        : std::runtime_error(sentence), detail_(std::move(detail)) {}
    const std::string& detail() const { return detail_; }

private:
    std::string detail_;
};

/// Thrown out of a long computation whose stop was requested. Never shown as an error.
class Cancelled : public std::exception {
public:
    const char* what() const noexcept override { return "cancelled"; }
};

} // namespace facet
