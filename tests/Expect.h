// Small helpers that every test uses.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QTest>
#include <fstream>
#include <string>

#include "core/base/Bytes.h"
#include "core/base/Result.h"

// Fails the test with the error's own sentence.
#define EXPECT_OK(expression)                                                                              \
    do {                                                                                                   \
        const auto& expectOkResult = (expression);                                                         \
        QVERIFY2(expectOkResult.has_value(), expectOkResult ? "" : expectOkResult.error().text().c_str()); \
    } while (false)

// The expression must fail, and its sentence must contain the text.
#define EXPECT_FAILS(expression, part)                                             \
    do {                                                                           \
        const auto& expectFailsResult = (expression);                              \
        QVERIFY2(!expectFailsResult.has_value(), "it did not fail");               \
        QVERIFY2(expectFailsResult.error().text().find(part) != std::string::npos, \
                 expectFailsResult.error().text().c_str());                        \
    } while (false)

namespace brusk {

inline std::string readText(const std::string& path) {
    std::ifstream in(path, std::ios::binary);
    return {std::istreambuf_iterator<char>(in), {}};
}

inline Bytes bytesOf(std::string_view text) {
    return {text.begin(), text.end()};
}

inline QString qs(const std::string& text) {
    return QString::fromStdString(text);
}

}  // namespace brusk
