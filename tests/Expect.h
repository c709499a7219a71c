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

// Under the thread check everything takes ten times as long; a wait that gives up then tells nothing.
#ifdef __SANITIZE_THREAD__
#undef QTRY_VERIFY
#undef QTRY_COMPARE
#define QTRY_VERIFY(expression) QTRY_VERIFY_WITH_TIMEOUT((expression), 60000)
#define QTRY_COMPARE(is, wanted) QTRY_COMPARE_WITH_TIMEOUT((is), (wanted), 60000)
#endif

namespace brusk {

#ifdef __SANITIZE_THREAD__
inline constexpr int kSlower = 10;
#else
inline constexpr int kSlower = 1;
#endif

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
