// Runs a program over pieces of columns that stay in the fast memory. Each loop has a length that the compiler knows,
// so that it takes several numbers at once.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>
#include <array>
#include <cmath>
#include <deque>

#include "core/base/Parallel.h"
#include "core/recording/Expression.h"
#include "core/recording/Follower.h"
#include "core/recording/expression/Program.h"

namespace brusk::recording {

using expression::Op;
using expression::Step;

namespace {

constexpr size_t kPiece = 1024;
constexpr double kNone = std::numeric_limits<double>::quiet_NaN();

/// All of a piece, or some rows of it.
template <class Each>
void over(size_t count, Each each) {
    if (count == kPiece)
        for (size_t i = 0; i < kPiece; ++i)
            each(i);
    else
        for (size_t i = 0; i < count; ++i)
            each(i);
}

template <class Function>
void unary(double* x, size_t count, Function function) {
    over(count, [=](size_t i) { x[i] = function(x[i]); });
}

/// Into the left one.
template <class Function>
void binary(const Step& step, double* __restrict left, const double* __restrict right, size_t count,
            Function function) {
    const double a = step.a;
    if (step.constant)
        over(count, [=](size_t i) { left[i] = function(left[i], a); });
    else if (step.constantLeft)
        over(count, [=](size_t i) { left[i] = function(a, left[i]); });
    else
        over(count, [=](size_t i) { left[i] = function(left[i], right[i]); });
}

/// NaN where one of two is.
template <class Compare>
auto known(Compare compare) {
    return [compare](double x, double y) {
        const double is = compare(x, y) ? 1 : 0;
        return x == x && y == y ? is : kNone;
    };
}

/// Values of the last so many seconds, since the last gap.
class Memory {
  public:
    void forget() { kept_.clear(), sum_ = 0, count_ = 0, has_ = false; }

    double rate(double t, double x) {
        const double out = has_ && t > lastTime_ ? (x - last_) / (t - lastTime_) : kNone;
        remember(t, x);
        return out;
    }
    double edge(double t, double x) {
        const double out = std::isnan(x) ? kNone : static_cast<double>(has_ && last_ == 0 && x != 0);
        remember(t, x);
        return out;
    }
    /// Since when it has been true without a break.
    double held(double t, double x, double length_s) {
        if (std::isnan(x)) {
            has_ = false;
            return kNone;
        }
        if (x == 0) {
            has_ = false;
            return 0;
        }
        if (!has_) lastTime_ = t;
        has_ = true;
        return t - lastTime_ >= length_s;
    }
    double delay(double t, double x, double length_s) {
        kept_.push_back({t, x});
        while (kept_.size() > 1 && kept_[1].t <= t - length_s)
            kept_.pop_front();
        return kept_.front().t <= t - length_s ? kept_.front().x : kNone;
    }
    double mean(double t, double x, double length_s) {
        constexpr size_t kFew = 16;
        if (!std::isnan(x)) kept_.push_back({t, x}), sum_ += x, ++count_;
        while (!kept_.empty() && kept_.front().t < t - length_s) {
            sum_ -= kept_.front().x, ++count_;
            kept_.pop_front();
        }
        // What was taken out again leaves rounding behind: once a window's length all is added anew.
        if (kept_.size() <= kFew || count_ >= kept_.size() || !std::isfinite(sum_)) {
            sum_ = 0, count_ = 0;
            for (const Kept& k : kept_)
                sum_ += k.x;
        }
        return kept_.empty() ? kNone : sum_ / static_cast<double>(kept_.size());
    }
    /// Only what may yet be the least (or the most) is kept: it rises.
    template <class Better>
    double extreme(double t, double x, double length_s, Better better) {
        if (!std::isnan(x)) {
            while (!kept_.empty() && !better(kept_.back().x, x))
                kept_.pop_back();
            kept_.push_back({t, x});
        }
        while (!kept_.empty() && kept_.front().t < t - length_s)
            kept_.pop_front();
        return kept_.empty() ? kNone : kept_.front().x;
    }

  private:
    struct Kept {
        double t, x;
    };
    void remember(double t, double x) { last_ = x, lastTime_ = t, has_ = !std::isnan(x); }

    std::deque<Kept> kept_;
    double sum_ = 0, last_ = 0, lastTime_ = 0;
    size_t count_ = 0;
    bool has_ = false;
};

}  // namespace

struct ExpressionRun::State {
    State(Expression e, double gap) : expression(std::move(e)), gap_s(gap) {
        stack.resize(expression.program().depth * kPiece);
        memories.resize(expression.program().memories);
    }
    /// At most a piece of rows; what they give is good until the next.
    const double* piece(std::span<const double> times, std::span<const double* const> inputs);

    Expression expression;
    double gap_s;
    std::vector<double> stack;  ///< a piece for each place
    std::vector<Memory> memories;
    double last_s = -INFINITY;
};

ExpressionRun::ExpressionRun(Expression expression, double gap_s)
    : state_(std::make_unique<State>(std::move(expression), gap_s)) {}
ExpressionRun::~ExpressionRun() = default;
ExpressionRun::ExpressionRun(ExpressionRun&&) noexcept = default;
ExpressionRun& ExpressionRun::operator=(ExpressionRun&&) noexcept = default;

namespace {

/// Of a value over time: row by row, for what comes depends on what was.
template <class Each>
void along(std::span<const double> time_s, double gap_s, double last_s, Memory& memory, double* x, Each each) {
    for (size_t i = 0; i < time_s.size(); ++i) {
        if (time_s[i] - last_s > gap_s) memory.forget();
        last_s = time_s[i];
        x[i] = each(memory, time_s[i], x[i]);
    }
}

void lookBack(const Step& step, std::span<const double> time_s, double gap_s, double last_s, Memory& memory,
              double* x) {
    const double length_s = step.a;
    const auto walk = [&](auto each) { along(time_s, gap_s, last_s, memory, x, each); };
    switch (step.op) {
        case Op::Rate:
            return walk([](Memory& m, double t, double v) { return m.rate(t, v); });
        case Op::Edge:
            return walk([](Memory& m, double t, double v) { return m.edge(t, v); });
        case Op::Held:
            return walk([=](Memory& m, double t, double v) { return m.held(t, v, length_s); });
        case Op::Delay:
            return walk([=](Memory& m, double t, double v) { return m.delay(t, v, length_s); });
        case Op::Mean:
            return walk([=](Memory& m, double t, double v) { return m.mean(t, v, length_s); });
        case Op::Least:
            return walk([=](Memory& m, double t, double v) { return m.extreme(t, v, length_s, std::less<>()); });
        default:
            return walk([=](Memory& m, double t, double v) { return m.extreme(t, v, length_s, std::greater<>()); });
    }
}

/// What needs no memory. `top`: the piece behind the last on the stack; `input`: the right operand, where that is one.
void compute(const Step& step, double* top, const double* input, size_t n) {
    double *const z = top - kPiece, *const y = z - kPiece;  // the last, the one before
    const bool single = step.constant || step.constantLeft || step.input;
    const auto two = [&](auto function) { binary(step, single ? z : y, step.input ? input : z, n, function); };
    switch (step.op) {
        case Op::Turn:
            // Nil stays as it is, its sign too.
            if (step.b == 0) return unary(z, n, [a = step.a](double v) { return a * v; });
            return unary(z, n, [a = step.a, b = step.b](double v) { return a * v + b; });
        case Op::Not:
            return unary(z, n, [](double v) { return std::isnan(v) ? v : static_cast<double>(v == 0); });
        case Op::Abs:
            return unary(z, n, [](double v) { return std::abs(v); });
        case Op::Sqrt:
            return unary(z, n, [](double v) { return std::sqrt(v); });
        case Op::Exp:
            return unary(z, n, [](double v) { return std::exp(v); });
        case Op::Log:
            return unary(z, n, [](double v) { return std::log(v); });
        case Op::Add:
            return two([](double a, double b) { return a + b; });
        case Op::Subtract:
            return two([](double a, double b) { return a - b; });
        case Op::Multiply:
            return two([](double a, double b) { return a * b; });
        case Op::Divide:
            return two([](double a, double b) { return a / b; });
        case Op::Power:
            return two([](double a, double b) { return std::pow(a, b); });
        case Op::Less:
            return two(known(std::less<>()));
        case Op::LessEqual:
            return two(known(std::less_equal<>()));
        case Op::Greater:
            return two(known(std::greater<>()));
        case Op::GreaterEqual:
            return two(known(std::greater_equal<>()));
        case Op::Equal:
            return two(known(std::equal_to<>()));
        case Op::NotEqual:
            return two(known(std::not_equal_to<>()));
        case Op::And:
            return two([](double a, double b) {
                return a == 0 || b == 0 ? 0.0 : std::isnan(a) || std::isnan(b) ? kNone : 1.0;
            });
        case Op::Or:
            return two([](double a, double b) {
                const bool yes = (a != 0 && !std::isnan(a)) || (b != 0 && !std::isnan(b));
                return yes ? 1.0 : std::isnan(a) || std::isnan(b) ? kNone : 0.0;
            });
        case Op::Min:
            return two([](double a, double b) { return std::isnan(a) || std::isnan(b) ? kNone : std::min(a, b); });
        case Op::Max:
            return two([](double a, double b) { return std::isnan(a) || std::isnan(b) ? kNone : std::max(a, b); });
        case Op::Choose: {
            double* const condition = y - kPiece;
            return over(n, [=](size_t i) {
                condition[i] = std::isnan(condition[i]) ? kNone : condition[i] != 0 ? y[i] : z[i];
            });
        }
        default: {
            double* const value = y - kPiece;
            return over(n, [=](size_t i) {
                const bool unknown = std::isnan(value[i]) || std::isnan(y[i]) || std::isnan(z[i]);
                value[i] = unknown ? kNone : std::max(y[i], std::min(value[i], z[i]));
            });
        }
    }
}

/// How many pieces a step leaves fewer (or one more) on the stack.
int change(const Step& step) {
    if (step.op == Op::Input || step.op == Op::Constant) return 1;
    if (step.op == Op::Choose || step.op == Op::Clamp) return -2;
    if (step.op >= Op::Add && step.op <= Op::Max && !step.constant && !step.constantLeft && !step.input) return -1;
    return 0;
}

}  // namespace

const double* ExpressionRun::State::piece(std::span<const double> times, std::span<const double* const> inputs) {
    const size_t n = times.size();
    double* top = stack.data();
    for (const Step& step : expression.program().steps) {
        if (step.op == Op::Input)
            std::copy_n(inputs[step.index], n, top);
        else if (step.op == Op::Constant)
            std::fill_n(top, n, step.a);
        else if (expression::looksBack(step.op))
            lookBack(step, times, gap_s, last_s, memories[step.index], top - kPiece);
        else
            compute(step, top, step.input ? inputs[step.index] : nullptr, n);
        top += change(step) * static_cast<long>(kPiece);
    }
    last_s = times.back();
    return top - kPiece;
}

void ExpressionRun::feed(std::span<const double> time_s, std::span<const double* const> inputs, std::span<double> out) {
    std::vector<const double*> here(inputs.begin(), inputs.end());
    for (size_t from = 0; from < time_s.size(); from += kPiece) {
        const auto times = time_s.subspan(from, std::min(kPiece, time_s.size() - from));
        std::copy_n(state_->piece(times, here), times.size(), out.begin() + static_cast<long>(from));
        for (const double*& column : here)
            column += times.size();
    }
}

double ExpressionRun::step(double time_s, std::span<const double> inputs) {
    std::array<const double*, 16> few{};
    std::vector<const double*> many;
    std::span<const double*> places(few);
    if (inputs.size() > few.size()) many.resize(inputs.size()), places = many;
    for (size_t i = 0; i < inputs.size(); ++i)
        places[i] = &inputs[i];
    return *state_->piece({&time_s, 1}, places.first(inputs.size()));
}

namespace {

/// A channel on the clock of another group, piece by piece.
class Input {
  public:
    Input(const Recording::Place& place, const Group& clock)
        : own_(place.group == &clock), wide_(place.channel->values.isWide()) {
        if (wide_)
            exact_ = place.channel->values.exact();
        else
            values_ = place.channel->values.values();
        if (own_) return;
        times_ = place.group->time_s;
        follower_ = Follower(times_);
        // As for gapsOf().
        if (place.group->rate_hz > 0) stale_s_ = 3 / place.group->rate_hz;
    }
    void take(std::span<const double> clock, size_t from, double* out) {
        if (own_ && wide_) {
            std::copy_n(exact_.data() + from, clock.size(), out);
            return;
        }
        if (own_) {
            const float* const values = values_.data() + from;
            return over(clock.size(), [=](size_t i) { out[i] = static_cast<double>(values[i]); });
        }
        for (size_t i = 0; i < clock.size(); ++i) {
            const size_t k = follower_.at(clock[i]);
            out[i] = k == Follower::kNone || clock[i] - times_[k] > stale_s_ ? kNone : at(k);
        }
    }

  private:
    double at(size_t i) const { return wide_ ? exact_[i] : static_cast<double>(values_[i]); }

    bool own_, wide_;
    std::span<const float> values_;
    std::span<const double> exact_, times_;
    Follower follower_;
    double stale_s_ = INFINITY;
};

Recording::Place placeOf(const Recording& recording, size_t name) {
    for (const Group& group : recording.groups) {
        if (name < group.channels.size()) return {&group, &group.channels[name]};
        name -= group.channels.size();
    }
    return {};
}

}  // namespace

Column evaluate(const Expression& expression, const Recording& recording, const Group& clock) {
    constexpr size_t kPart = size_t{1} << 16;
    std::vector<Recording::Place> places;
    std::vector<Column> columns = {clock.time_s.column()};
    for (const size_t name : expression.inputs()) {
        places.push_back(placeOf(recording, name));
        columns.push_back(places.back().channel->values);
        columns.push_back(places.back().group->time_s.column());
    }
    decode(columns);
    const auto times = clock.time_s.times();
    Numbers<float> out(times.size());
    const auto run = [&](size_t from, size_t to) {
        ExpressionRun::State walk(expression, clock.rate_hz > 0 ? 3 / clock.rate_hz : INFINITY);
        std::vector<Input> inputs;
        inputs.reserve(places.size());
        for (const auto& place : places)
            inputs.emplace_back(place, clock);
        std::vector<std::array<double, kPiece>> pieces(places.size());
        std::vector<const double*> pointers;
        pointers.reserve(pieces.size());
        for (const auto& piece : pieces)
            pointers.push_back(piece.data());
        for (; from < to; from += kPiece) {
            const auto part = times.subspan(from, std::min(kPiece, to - from));
            for (size_t k = 0; k < inputs.size(); ++k)
                inputs[k].take(part, from, pieces[k].data());
            const double* const result = walk.piece(part, pointers);
            float* const here = out.data() + from;
            over(part.size(), [=](size_t i) { here[i] = static_cast<float>(result[i]); });
        }
    };
    // What looks back goes from the beginning to the end; all else in parts.
    if (expression.program().memories > 0)
        run(0, out.size());
    else
        inParallel((out.size() + kPart - 1) / kPart,
                   [&](size_t part) { run(part * kPart, std::min(out.size(), (part + 1) * kPart)); });
    return Column(std::move(out));
}

Result<Column> evaluate(std::string_view text, const Recording& recording, const Group& clock, double stoichiometric) {
    Vocabulary vocabulary = vocabularyOf(recording);
    vocabulary.stoichiometric = stoichiometric;
    const auto expression = Expression::compile(text, vocabulary);
    if (!expression) return tl::unexpected(expression.error());
    return evaluate(*expression, recording, clock);
}

}  // namespace brusk::recording
