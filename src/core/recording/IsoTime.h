// Moments as recordings write them: ISO 8601, to the second.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>
#include <optional>
#include <string>

namespace brusk::recording {

/// Seconds since 1970 as "2026-03-01T10:12:05"; a zone is for the caller to add.
std::string isoTime(int64_t seconds);
/// And back, whatever stands behind the seconds; nothing where it is no such text.
std::optional<int64_t> secondsOf(const std::string& isoTime);

}  // namespace brusk::recording
