// The one way a function of the core says that it could not do its work.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <memory>
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
    Conflict     ///< something is already there, or changed behind our back
};

/// A code, one sentence a tuner understands (what, where, what to do), and what caused it.
struct Error {
    ErrorCode code = ErrorCode::BadInput;
    std::string message;
    std::shared_ptr<const Error> cause = nullptr;

    /// The sentence followed by the sentences of its causes.
    std::string text() const { return cause ? message + " (" + cause->text() + ")" : message; }
};

template <class T>
using Result = tl::expected<T, Error>;

/// Success without a value.
using Done = Result<void>;

inline tl::unexpected<Error> fail(ErrorCode code, std::string message) {
    return tl::unexpected<Error>(Error{code, std::move(message), nullptr});
}

/// Adds a sentence of the caller above the failure it met; the code stays that of the cause.
inline tl::unexpected<Error> failBecause(std::string message, const Error& cause) {
    return tl::unexpected<Error>(Error{cause.code, std::move(message), std::make_shared<const Error>(cause)});
}

}  // namespace brusk
