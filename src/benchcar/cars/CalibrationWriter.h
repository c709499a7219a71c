// Writes physical numbers into the controller's calibration area as its layouts say.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cmath>
#include <initializer_list>
#include <string_view>
#include <utility>
#include <vector>

#include "benchcar/controller/ControllerMemory.h"

namespace brusk::benchcar {

class CalibrationWriter {
  public:
    explicit CalibrationWriter(ControllerMemory& memory) : memory_(memory) {}

    void set(const Item& item, double physical) {
        if (item.mask) {
            const auto raw = static_cast<uint8_t>(memory_.at(item.at, 1)[0]);
            put(item.at, Store::U8, physical != 0 ? raw | item.mask : raw & ~item.mask);
        } else {
            put(item.at, item.store, (physical - item.offset) / item.perCount);
        }
    }
    void block(const Item& item, std::initializer_list<double> values) {
        uint32_t at = item.at;
        for (const double v : values)
            put(at, item.store, (v - item.offset) / item.perCount), at += bytesOf(item.store);
    }
    void text(const Item& item, std::string_view value) {
        characters(item.at, static_cast<size_t>(item.number), value);
    }
    void characters(uint32_t at, size_t size, std::string_view value) {
        for (size_t i = 0; i < size; ++i)
            put(at + static_cast<uint32_t>(i), Store::U8, i < value.size() ? value[i] : ' ');
    }
    void axis(const Item& item, const std::vector<double>& points) {
        put(item.at, Store::U16, static_cast<double>(points.size()));
        row(item.at + 2, item.store, item.perCount, item.offset, points);
    }
    /// A curve over its own breakpoints; `f` of each.
    template <class F>
    void curve(const Item& item, const std::vector<double>& x, F f) {
        std::vector<double> y;
        y.reserve(x.size());
        for (const double v : x)
            y.push_back(f(v));
        const uint32_t at = breakpoints(item.at, {{&item.x, &x}});
        row(at, item.store, item.perCount, item.offset, y);
    }
    void curve(const Item& item, std::initializer_list<std::pair<double, double>> points) {
        std::vector<double> x, y;
        for (const auto& [a, b] : points)
            x.push_back(a), y.push_back(b);
        const uint32_t at = breakpoints(item.at, {{&item.x, &x}});
        row(at, item.store, item.perCount, item.offset, y);
    }
    template <class F>
    void map(const Item& item, const std::vector<double>& x, const std::vector<double>& y, F f) {
        uint32_t at = breakpoints(item.at, {{&item.x, &x}, {&item.y, &y}});
        for (const double b : y) {
            std::vector<double> values;
            values.reserve(x.size());
            for (const double a : x)
                values.push_back(f(a, b));
            row(at, item.store, item.perCount, item.offset, values);
            at += static_cast<uint32_t>(x.size()) * bytesOf(item.store);
        }
    }

  private:
    struct AxisPoints {
        const Points* points;
        const std::vector<double>* values;
    };
    /// Counts, then breakpoints, of the axes that are kept with the parameter; the address behind them.
    uint32_t breakpoints(uint32_t at, std::initializer_list<AxisPoints> axes) {
        for (const AxisPoints& a : axes)
            if (a.points->source == Points::Source::Own)
                put(at, Store::U16, static_cast<double>(a.values->size())), at += 2;
        for (const AxisPoints& a : axes) {
            if (a.points->source != Points::Source::Own) continue;
            row(at, a.points->store, a.points->perCount, a.points->offset, *a.values);
            at += static_cast<uint32_t>(a.values->size()) * bytesOf(a.points->store);
        }
        return at;
    }
    void row(uint32_t at, Store store, double perCount, double offset, const std::vector<double>& values) {
        for (const double v : values)
            put(at, store, (v - offset) / perCount), at += bytesOf(store);
    }
    void put(uint32_t at, Store store, double raw) {
        const double least = store == Store::S8 ? -128 : store == Store::S16 ? -32768 : 0;
        const double most = store == Store::U8    ? 255
                            : store == Store::S8  ? 127
                            : store == Store::U16 ? 65535
                            : store == Store::S16 ? 32767
                                                  : 4294967295.0;
        const auto value = static_cast<uint32_t>(static_cast<int64_t>(std::lround(std::clamp(raw, least, most))));
        for (uint32_t i = 0, n = bytesOf(store); i < n; ++i)
            memory_.flash()[at - benchcar::map::kFlash + i] = static_cast<uint8_t>(value >> (8 * (n - 1 - i)));
    }

    ControllerMemory& memory_;
};

}  // namespace brusk::benchcar
