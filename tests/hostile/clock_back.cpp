// Loaded before a program: the clock of the day is set back by an hour when the program has run for three seconds, as a
// time server does it; the clocks that nobody can set stay.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <sys/syscall.h>
#include <sys/time.h>
#include <unistd.h>

#include <ctime>

namespace {

long back_s() {
    static long begun_s = 0;
    timespec now{};
    ::syscall(SYS_clock_gettime, CLOCK_MONOTONIC, &now);
    if (begun_s == 0) begun_s = now.tv_sec;
    return now.tv_sec - begun_s >= 3 ? 3600 : 0;
}

}  // namespace

extern "C" {

int clock_gettime(clockid_t clock, timespec* out) noexcept {
    const auto done = static_cast<int>(::syscall(SYS_clock_gettime, clock, out));
    if (done == 0 && clock == CLOCK_REALTIME) out->tv_sec -= back_s();
    return done;
}

time_t time(time_t* out) noexcept {
    timespec now{};
    ::clock_gettime(CLOCK_REALTIME, &now);
    if (out) *out = now.tv_sec;
    return now.tv_sec;
}

int gettimeofday(timeval* out, void*) noexcept {
    timespec now{};
    ::clock_gettime(CLOCK_REALTIME, &now);
    out->tv_sec = now.tv_sec;
    out->tv_usec = now.tv_nsec / 1000;
    return 0;
}
}
