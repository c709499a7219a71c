// The one way a function of the core says that it could not do its work.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>
#include <memory>
#include <optional>
#include <string>
#include <tl/expected.hpp>
#include <utility>

namespace brusk {

/// What kind of failure it was; the sentence beside it says what and where.
enum class ErrorCode {
    BadInput,    ///< a file, frame or argument that does not say what it should
    NotFound,    ///< something named is not there
    Io,          ///< the disk or the operating system refused
    Timeout,     ///< nobody answered in time
    Refused,     ///< the controller (or a rule of ours) said no
    LinkLost,    ///< the cable, the bus or the other process is gone
    Mismatch,    ///< two things that must agree do not
    OutOfRange,  ///< a number beyond its limits
    Cancelled,   ///< the user stopped it
    Conflict,    ///< something is already there, or changed behind our back
    Broken       ///< an invariant of ours did not hold; caught at a root
};

/// As `bruskctl --json` names it.
constexpr const char* errorCodeName(ErrorCode code) {
    constexpr const char* names[] = {"bad-input", "not-found",    "io",        "timeout",  "refused", "link-lost",
                                     "mismatch",  "out-of-range", "cancelled", "conflict", "broken"};
    return names[static_cast<int>(code)];
}

/// Where in a file a failure lies, as far as it is known.
struct ErrorPlace {
    std::string file = {};
    int line = 0;  ///< from 1; 0 when there is none
    std::optional<uint64_t> offset = {};
};

/// A code, one sentence a tuner understands (what, where, what to do), and what caused it.
struct Error {
    ErrorCode code = ErrorCode::BadInput;
    std::string message;
    std::shared_ptr<const Error> cause = nullptr;
    ErrorPlace place = {};
    const char* refused = nullptr;  ///< id of what was refused, where programs tell refusals apart ("altered")

    /// The sentence followed by the sentences of its causes.
    std::string text() const { return cause ? message + " (" + cause->text() + ")" : message; }

    /// The same, said of a file.
    Error in(const std::string& file) const {
        Error out = *this;
        out.message = file + ": " + message;
        out.place.file = file;
        return out;
    }

    /// The place as this error and its causes know it together; the outermost that knows a part has it.
    ErrorPlace placeOfAll() const {
        ErrorPlace out = cause ? cause->placeOfAll() : ErrorPlace{};
        if (!place.file.empty()) out.file = place.file;
        if (place.line > 0) out.line = place.line;
        if (place.offset) out.offset = place.offset;
        return out;
    }
};

template <class T>
using Result = tl::expected<T, Error>;

/// Success without a value.
using Done = Result<void>;

inline tl::unexpected<Error> fail(ErrorCode code, std::string message) {
    return tl::unexpected<Error>(Error{code, std::move(message), nullptr});
}

/// Refused by a rule that has an id.
inline tl::unexpected<Error> refuse(const char* id, std::string message) {
    return tl::unexpected<Error>(Error{ErrorCode::Refused, std::move(message), nullptr, {}, id});
}

/// The same, with the place in a file.
inline tl::unexpected<Error> failIn(ErrorPlace place, ErrorCode code, std::string message) {
    return tl::unexpected<Error>(Error{code, std::move(message), nullptr, std::move(place)});
}

/// Adds a sentence of the caller above the failure it met; the code stays that of the cause.
inline tl::unexpected<Error> failBecause(std::string message, const Error& cause) {
    return tl::unexpected<Error>(
        Error{cause.code, std::move(message), std::make_shared<const Error>(cause), {}, cause.refused});
}

}  // namespace brusk
