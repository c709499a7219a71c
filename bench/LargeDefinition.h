// A large made-up definition and an image for it: as many parameters and measurements as asked, of every common kind.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <string>

namespace brusk::bench {

inline std::string largeDefinition(int count) {
    static const char* const subjects[] = {"Fuel",  "Spark",  "Boost", "Idle",     "Torque", "Pedal",
                                           "Knock", "Lambda", "Cam",   "Throttle", "Purge",  "Catalyst"};
    static const char* const aspects[] = {"base",  "target", "limit",      "factor", "offset",  "gain",
                                          "delay", "filter", "hysteresis", "ramp",   "ceiling", "floor"};
    static const char* const states[] = {"cold start", "warm idle", "part load", "full load", "overrun", "limp mode"};
    std::string out = R"(ASAP2_VERSION 1 61
/begin PROJECT Large "a large made-up definition"
/begin MODULE Large "as many objects as a modern controller has"
/begin MOD_COMMON "" BYTE_ORDER MSB_FIRST ALIGNMENT_BYTE 1 ALIGNMENT_WORD 1 ALIGNMENT_LONG 1 /end MOD_COMMON
/begin RECORD_LAYOUT word FNC_VALUES 1 UWORD ROW_DIR DIRECT /end RECORD_LAYOUT
/begin RECORD_LAYOUT points NO_AXIS_PTS_X 1 UBYTE AXIS_PTS_X 2 UWORD INDEX_INCR DIRECT /end RECORD_LAYOUT
/begin RECORD_LAYOUT curve NO_AXIS_PTS_X 1 UBYTE AXIS_PTS_X 2 UWORD INDEX_INCR DIRECT FNC_VALUES 3 SWORD ROW_DIR DIRECT /end RECORD_LAYOUT
)";
    for (int i = 0; i < 200; ++i)
        out += "/begin COMPU_METHOD method_" + std::to_string(i) +
               " \"a scale\" RAT_FUNC \"%8.3\" \"kPa\"\n  COEFFS 0 " + std::to_string(1 + i) +
               " 0 0 0 1\n/end COMPU_METHOD\n";
    const auto nameOf = [&](int i, const char* kind) {
        return std::string(subjects[i % 12]) + "_" + aspects[i / 12 % 12] + "_" + kind + std::to_string(i);
    };
    const auto textOf = [&](int i) {
        return std::string(subjects[i % 12]) + " " + aspects[i / 12 % 12] + " during " + states[i / 144 % 6] +
               ", as a function of engine speed and load where the strategy asks for it";
    };
    const auto hex = [](unsigned v) {
        char text[16];
        std::snprintf(text, sizeof text, "0x%X", v);
        return std::string(text);
    };
    out += "/begin AXIS_PTS axis_speed \"engine speed\" 0x0 nmot points 0 method_0 16 0 8000 /end AXIS_PTS\n";
    out += "/begin AXIS_PTS axis_load \"load\" 0x40 rl points 0 method_0 16 0 400 /end AXIS_PTS\n";
    for (int i = 0; i < count; ++i) {
        const std::string method = "method_" + std::to_string(i % 200);
        const std::string address = hex(0x1000u + static_cast<unsigned>(i) * 16u);
        const int kind = i % 10;
        out += "\n/begin CHARACTERISTIC " + nameOf(i, "c") + "\n  \"" + textOf(i) + "\"\n  ";
        if (kind < 6) {
            out += "VALUE " + address + " word 0 " + method + " 0 65535\n  FORMAT \"%7.2\"\n";
        } else if (kind < 8) {
            out += "CURVE " + address + " curve 0 " + method + " -32768 32767\n  /begin AXIS_DESCR STD_AXIS nmot " +
                   method + " 12 0 65535\n    FORMAT \"%6.0\"\n    DEPOSIT ABSOLUTE\n  /end AXIS_DESCR\n";
        } else {
            out += "MAP " + address + " word 0 " + method + " 0 65535\n  /begin AXIS_DESCR COM_AXIS nmot " + method +
                   " 16 0 65535\n    AXIS_PTS_REF axis_speed\n    DEPOSIT ABSOLUTE\n  /end AXIS_DESCR\n"
                   "  /begin AXIS_DESCR COM_AXIS rl " +
                   method + " 16 0 65535\n    AXIS_PTS_REF axis_load\n    DEPOSIT ABSOLUTE\n  /end AXIS_DESCR\n";
        }
        out += "  EXTENDED_LIMITS 0 65535\n/end CHARACTERISTIC\n";
        out += "\n/begin MEASUREMENT " + nameOf(i, "m") + "\n  \"" + textOf(i) + "\"\n  UWORD " + method +
               " 0 0 0 65535\n  ECU_ADDRESS " + hex(0xD0000000u + static_cast<unsigned>(i) * 2u) +
               "\n  FORMAT \"%7.2\"\n  /begin IF_DATA LINKAGE /begin SEGMENT 0x1 0x2 /end SEGMENT /end IF_DATA\n/end "
               "MEASUREMENT\n";
    }
    for (int g = 0; g * 500 < count; ++g) {
        out += "/begin GROUP group_" + std::to_string(g) + " \"" + subjects[g % 12] + " " + std::to_string(g) +
               "\"\n  /begin REF_CHARACTERISTIC";
        for (int i = g * 500; i < std::min(count, g * 500 + 500); ++i)
            out += " " + nameOf(i, "c");
        out += " /end REF_CHARACTERISTIC\n/end GROUP\n";
    }
    return out + "/end MODULE\n/end PROJECT\n";
}

}  // namespace brusk::bench
