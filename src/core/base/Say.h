// The one place through which the core's sentences go on their way to people.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <initializer_list>
#include <string>
#include <string_view>

namespace brusk {

/// The sentence `text` with {0}, {1} ... replaced by `values`. A value is put in as it is: braces in it mean nothing.
/// `id` (lower case with hyphens, a subject before a dot) names the sentence, so that a catalogue for another language
/// can be looked up here without touching those who speak; tests/house/HouseTest.cpp holds that no id stands twice and
/// that each value has its place.
std::string say(std::string_view id, std::string_view text, std::initializer_list<std::string_view> values = {});

}  // namespace brusk
