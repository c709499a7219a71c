// From text to steps: parsed by descent, units joined on the way, constants folded.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>
#include <cmath>
#include <optional>

#include "core/base/Text.h"
#include "core/recording/Expression.h"
#include "core/recording/expression/Measured.h"
#include "core/recording/expression/Program.h"

namespace brusk::recording {

using expression::Measured;
using expression::Op;
using expression::Program;
using expression::Step;
using Kind = Measured::Kind;

namespace {

/// A mistake in an expression; thrown in here only.
struct Mistake {
    ErrorCode code;
    size_t at;  ///< in the text
    std::string what;
};
[[noreturn]] void wrong(size_t at, const std::string& what, ErrorCode code = ErrorCode::BadInput) {
    throw Mistake{code, at, what};
}

struct Node {
    Op op = Op::Constant;
    double a = 0, b = 0;
    size_t index = 0;
    std::vector<Node> parts = {};
    Measured unit = {};
    size_t at = 0;  ///< where in the text

    bool isConstant() const { return op == Op::Constant; }
};

/// How far two words are apart: letters to change, add, leave out, or exchange with their neighbour.
size_t apart(std::string_view a, std::string_view b) {
    std::vector<std::vector<size_t>> far(a.size() + 1, std::vector<size_t>(b.size() + 1));
    for (size_t i = 0; i <= a.size(); ++i)
        for (size_t j = 0; j <= b.size(); ++j) {
            if (i == 0 || j == 0) {
                far[i][j] = i + j;
                continue;
            }
            far[i][j] = std::min({far[i - 1][j] + 1, far[i][j - 1] + 1, far[i - 1][j - 1] + (a[i - 1] != b[j - 1])});
            if (i > 1 && j > 1 && a[i - 1] == b[j - 2] && a[i - 2] == b[j - 1])
                far[i][j] = std::min(far[i][j], far[i - 2][j - 2] + 1);
        }
    return far[a.size()][b.size()];
}

/// What somebody who mistyped may have meant; empty where nothing is near.
std::string nearest(std::string_view typed, const std::vector<std::string>& names) {
    constexpr size_t kLongest = 64;
    const std::string word = toLower(typed.substr(0, kLongest));
    std::string best;
    size_t least = (word.size() < 3 ? 1 : std::max<size_t>(2, word.size() / 3)) + 1;
    for (const std::string& name : names) {
        const std::string candidate = toLower(name);
        const size_t far = candidate.find(word) != std::string::npos && word.size() > 2 ? 1 : apart(word, candidate);
        if (far < least) least = far, best = name;
    }
    return best;
}

struct Function {
    std::string_view name;
    Op op;
    size_t arguments;
    bool length = false;  ///< the last one is a time
};
constexpr Function kFunctions[] = {
    {"abs", Op::Abs, 1},         {"sqrt", Op::Sqrt, 1},         {"exp", Op::Exp, 1},
    {"log", Op::Log, 1},         {"min", Op::Min, 2},           {"max", Op::Max, 2},
    {"clamp", Op::Clamp, 3},     {"rate", Op::Rate, 1},         {"delay", Op::Delay, 2, true},
    {"mean", Op::Mean, 2, true}, {"least", Op::Least, 2, true}, {"most", Op::Most, 2, true},
    {"held", Op::Held, 2, true}, {"edge", Op::Edge, 1}};

const Measured& truth() {
    static const Measured yesOrNo = [] {
        Measured out;
        out.kind = Kind::Truth;
        return out;
    }();
    return yesOrNo;
}

}  // namespace

class ExpressionCompiler {
  public:
    ExpressionCompiler(std::string_view text, const Vocabulary& vocabulary) : text_(text), vocabulary_(vocabulary) {}

    Result<Expression> run() {
        constexpr size_t kLongest = 4096;
        try {
            if (trimmed(text_).empty()) wrong(0, "there is nothing to compute");
            if (text_.size() > kLongest) wrong(kLongest, "the expression is longer than 4096 characters");
            const Node root = choice();
            blanks();
            if (at_ < text_.size()) wrong(at_, "\"" + word() + "\" is not expected here");
            Program program;
            emit(root, program, 0);
            program.inputs = out_.inputs_.size();
            out_.program_ = std::make_shared<const Program>(std::move(program));
            out_.unit_ = root.unit.text;
            out_.condition_ = root.unit.kind == Kind::Truth;
            return out_;
        } catch (const Mistake& mistake) {
            const size_t column = characters(mistake.at) + 1;
            return fail(mistake.code, "Column " + std::to_string(column) + ": " + mistake.what +
                                          (mistake.what.ends_with("?") ? "" : "."));
        }
    }

  private:
    // The text.
    /// Letters before a place, not bytes.
    size_t characters(size_t at) const {
        return static_cast<size_t>(
            std::count_if(text_.begin(), text_.begin() + static_cast<long>(std::min(at, text_.size())),
                          [](char c) { return (static_cast<unsigned char>(c) & 0xC0) != 0x80; }));
    }
    void blanks() {
        while (at_ < text_.size() && std::isspace(static_cast<unsigned char>(text_[at_])))
            ++at_;
    }
    /// What stands here, as it can be shown.
    std::string word() const {
        size_t end = at_ + 1;
        while (end < text_.size() && isLetter(text_[end]) && isLetter(text_[at_]))
            ++end;
        return validText(text_.substr(at_, end - at_));
    }
    static bool isLetter(char c) { return std::isalnum(static_cast<unsigned char>(c)) || c == '_' || (c & 0x80); }
    bool sign(std::string_view wanted) {
        blanks();
        if (!text_.substr(at_).starts_with(wanted)) return false;
        at_ += wanted.size();
        return true;
    }
    bool keyword(std::string_view wanted) {
        blanks();
        const std::string_view rest = text_.substr(at_);
        if (toLower(rest.substr(0, wanted.size())) != wanted) return false;
        if (rest.size() > wanted.size() && isLetter(rest[wanted.size()])) return false;
        at_ += wanted.size();
        return true;
    }
    void need(std::string_view wanted, const std::string& where) {
        if (!sign(wanted))
            wrong(at_, "\"" + std::string(wanted) + "\" is missing " + where +
                           (at_ < text_.size() ? ", before \"" + word() + "\"" : ""));
    }

    // From what binds least to what binds most.
    Node choice() {
        Node condition = either();
        blanks();
        const size_t at = at_;
        if (!sign("?")) return condition;
        Node yes = deeper([this] { return choice(); });
        need(":", "between the two answers of \"?\"");
        Node no = choice();
        asCondition(condition, "\"?\"", at);
        meet(yes, no, "\"?\" gives either", at);
        Node out{Op::Choose};
        out.unit = yes.unit.kind == Kind::Any ? no.unit : yes.unit;
        out.parts = {std::move(condition), std::move(yes), std::move(no)};
        return out;
    }
    Node either() {
        Node left = both();
        for (;;) {
            blanks();
            const size_t at = at_;
            if (!keyword("or") && !sign("||")) return left;
            left = logical(Op::Or, std::move(left), both(), "\"or\"", at);
        }
    }
    Node both() {
        Node left = negation();
        for (;;) {
            blanks();
            const size_t at = at_;
            if (!keyword("and") && !sign("&&")) return left;
            left = logical(Op::And, std::move(left), negation(), "\"and\"", at);
        }
    }
    Node logical(Op op, Node left, Node right, const char* what, size_t at) {
        asCondition(left, what, at);
        asCondition(right, what, at);
        Node out{op};
        out.parts = {std::move(left), std::move(right)};
        out.unit = truth();
        out.at = at;
        return folded(std::move(out));
    }
    Node negation() {
        blanks();
        const size_t at = at_;
        const bool bang = text_.substr(at_).starts_with("!") && !text_.substr(at_).starts_with("!=");
        if (!keyword("not") && !(bang && sign("!"))) return comparison();
        Node inner = deeper([this] { return negation(); });
        asCondition(inner, "\"not\"", at);
        Node out{Op::Not};
        out.parts = {std::move(inner)};
        out.unit = truth();
        return folded(std::move(out));
    }
    Node comparison() {
        Node left = sum();
        blanks();
        const size_t at = at_;
        std::optional<Op> op;
        if (sign("<="))
            op = Op::LessEqual;
        else if (sign(">="))
            op = Op::GreaterEqual;
        else if (sign("=="))
            op = Op::Equal;
        else if (sign("!="))
            op = Op::NotEqual;
        else if (sign("<"))
            op = Op::Less;
        else if (sign(">"))
            op = Op::Greater;
        else if (sign("="))
            wrong(at, "\"=\" sets nothing here; to compare, write \"==\"");
        if (!op) return left;
        Node right = sum();
        meet(left, right, "the comparison is of", at);
        Node out{*op};
        out.parts = {std::move(left), std::move(right)};
        out.unit = truth();
        blanks();
        for (const std::string_view again : {"<", ">", "==", "!="})
            if (text_.substr(at_).starts_with(again))
                wrong(at_, "two comparisons need \"and\" between them: 1 < x and x < 2");
        return folded(std::move(out));
    }
    Node sum() {
        Node left = term();
        for (;;) {
            blanks();
            const size_t at = at_;
            if (sign("+"))
                left = added(std::move(left), term(), false, at);
            else if (sign("-"))
                left = added(std::move(left), term(), true, at);
            else
                return left;
        }
    }
    Node term() {
        Node left = signedFactor();
        for (;;) {
            blanks();
            const size_t at = at_;
            const bool divided = text_.substr(at_).starts_with("/");
            if (!sign("*") && !sign("/")) return left;
            Node right = signedFactor();
            // A temperature that is multiplied with something measured is one above absolute zero.
            if (left.unit.kind != Kind::Any && right.unit.kind != Kind::Any) fromZero(left), fromZero(right);
            Node out{divided ? Op::Divide : Op::Multiply};
            out.unit = expression::product(left.unit, right.unit, divided);
            out.at = at;
            out.parts = {std::move(left), std::move(right)};
            left = folded(std::move(out));
        }
    }
    Node signedFactor() {
        if (sign("-")) {
            Node inner = deeper([this] { return signedFactor(); });
            Node out{Op::Turn};
            out.a = -1;
            out.unit = inner.unit.kind == Kind::Truth ? Measured{} : inner.unit;
            out.parts = {std::move(inner)};
            return folded(std::move(out));
        }
        if (sign("+")) return deeper([this] { return signedFactor(); });
        return raised();
    }
    Node raised() {
        Node base = primary();
        blanks();
        const size_t at = at_;
        if (!sign("^")) return base;
        Node exponent = deeper([this] { return signedFactor(); });
        if (!exponent.unit.plain()) wrong(at, "an exponent is a bare number, not " + exponent.unit.spoken());
        Node out{Op::Power};
        out.unit = base.unit;
        if (base.unit.known() && !base.unit.plain()) {
            const double e = exponent.isConstant() ? exponent.a : NAN;
            const auto powered = e * 2 == std::trunc(e * 2) && std::abs(e) <= 8
                                     ? expression::power(base.unit, static_cast<int>(e * 2), 2)
                                     : std::nullopt;
            if (!powered)
                wrong(at, base.unit.spoken() + " to a power that is no whole number has no unit; divide by one first");
            out.unit = *powered;
        }
        out.parts = {std::move(base), std::move(exponent)};
        return folded(std::move(out));
    }

    Node primary() {
        blanks();
        if (at_ >= text_.size()) wrong(at_, "the expression ends where a value is expected");
        const char c = text_[at_];
        if (c == '(') {
            const size_t open = at_++;
            Node inner = deeper([this] { return choice(); });
            if (!sign(")")) wrong(open, "this bracket is never closed");
            return inner;
        }
        if (c == '{') return channel();
        if (c == '<') return role();
        if ((c >= '0' && c <= '9') || c == '.') return number();
        if (isLetter(c)) return named();
        wrong(at_, "a value is expected here, not \"" + word() + "\"");
    }

    Node number() {
        const size_t begin = at_;
        const auto digits = [this] {
            while (at_ < text_.size() && std::isdigit(static_cast<unsigned char>(text_[at_])))
                ++at_;
        };
        digits();
        if (at_ < text_.size() && text_[at_] == '.') ++at_, digits();
        if (at_ + 1 < text_.size() && (text_[at_] == 'e' || text_[at_] == 'E')) {
            const bool isSigned = text_[at_ + 1] == '-' || text_[at_ + 1] == '+';
            if (at_ + 1 + isSigned < text_.size() &&
                std::isdigit(static_cast<unsigned char>(text_[at_ + 1 + isSigned])))
                at_ += 1 + isSigned, digits();
        }
        const std::string_view digitsText = text_.substr(begin, at_ - begin);
        const auto value = parseNumber(digitsText);
        if (!value) wrong(begin, "\"" + std::string(digitsText) + "\" is no number");
        Node out;
        out.a = *value;
        out.at = begin;
        blanks();
        if (const auto unit = expression::unitAt(text_.substr(at_), vocabulary_.stoichiometric)) {
            out.unit = unit->first;
            at_ += unit->second;
        } else if (at_ < text_.size() && isLetter(text_[at_]) && !isOperator()) {
            wrong(at_, "\"" + word() + "\" is no unit that Brusk knows");
        }
        return out;
    }
    bool isOperator() const {
        const std::string here = toLower(word());
        return here == "and" || here == "or";
    }

    Node input(size_t index, size_t at) {
        const auto known = std::find(out_.inputs_.begin(), out_.inputs_.end(), index);
        Node out{Op::Input};
        out.index = static_cast<size_t>(known - out_.inputs_.begin());
        if (known == out_.inputs_.end()) out_.inputs_.push_back(index);
        out.unit = expression::measuredIn(vocabulary_.names[index].unit, vocabulary_.stoichiometric);
        out.at = at;
        return out;
    }

    /// By name, letter case aside.
    std::optional<size_t> find(std::string_view name) const {
        const std::string wanted = toLower(trimmed(name));
        for (size_t i = 0; i < vocabulary_.names.size(); ++i)
            if (toLower(vocabulary_.names[i].name) == wanted) return i;
        return std::nullopt;
    }
    [[noreturn]] void nobody(size_t at, const std::string& what, std::string_view typed,
                             const std::vector<std::string>& names, const char* open, const char* close) {
        const std::string near = nearest(trimmed(typed), names);
        wrong(at,
              "there is no " + what + " \"" + validText(trimmed(typed)) + "\"" +
                  (near.empty() ? "" : "; did you mean " + (open + near) + close + "?"),
              ErrorCode::NotFound);
    }
    std::vector<std::string> names() const {
        std::vector<std::string> out;
        for (const auto& name : vocabulary_.names)
            out.push_back(name.name);
        return out;
    }

    Node channel() {
        const size_t begin = at_++, end = text_.find('}', at_);
        if (end == std::string_view::npos) wrong(begin, "this brace is never closed; a channel is written {name}");
        const std::string_view name = text_.substr(at_, end - at_);
        at_ = end + 1;
        if (const auto index = find(name)) return input(*index, begin);
        nobody(begin, "channel", name, names(), "{", "}");
    }

    /// A role's id or title.
    static const roles::Meaning* meaning(std::string_view typed) {
        std::string wanted = toLower(trimmed(typed));
        for (const roles::Meaning& one : roles::known())
            if (toLower(one.title) == wanted || one.id == wanted) return &one;
        std::replace(wanted.begin(), wanted.end(), ' ', '_');
        return roles::meaningOf(wanted);
    }
    std::optional<Node> playing(const roles::Meaning& role, size_t at) {
        for (size_t i = 0; i < vocabulary_.names.size(); ++i) {
            if (vocabulary_.names[i].role != role.id) continue;
            Node out = input(i, at);
            // A role speaks in its own unit, whoever recorded it.
            const Measured own = expression::measuredIn(role.unit, vocabulary_.stoichiometric);
            if (!own.known()) return out;
            if (out.unit.known() && !expression::turned(out.unit, own)) return out;
            turn(out, own, false);
            out.unit = own;
            return out;
        }
        return std::nullopt;
    }
    Node role() {
        const size_t begin = at_++, end = text_.find('>', at_);
        if (end == std::string_view::npos)
            wrong(begin, "this bracket is never closed; a role is written <engine speed>");
        const std::string_view name = text_.substr(at_, end - at_);
        at_ = end + 1;
        const roles::Meaning* wanted = meaning(name);
        if (!wanted) {
            std::vector<std::string> titles;
            for (const roles::Meaning& one : roles::known())
                if (one.measured()) titles.emplace_back(one.title);
            nobody(begin, "role", name, titles, "<", ">");
        }
        if (auto found = playing(*wanted, begin)) return std::move(*found);
        wrong(begin, "nothing that was recorded is the " + std::string(wanted->title), ErrorCode::NotFound);
    }

    /// A function, or a channel or role whose name is one word.
    Node named() {
        const size_t begin = at_;
        while (at_ < text_.size() && (isLetter(text_[at_]) || text_[at_] == '.'))
            ++at_;
        const std::string_view name = text_.substr(begin, at_ - begin);
        blanks();
        if (at_ < text_.size() && text_[at_] == '(') {
            const auto* function = std::find_if(std::begin(kFunctions), std::end(kFunctions),
                                                [&](const Function& f) { return f.name == toLower(name); });
            if (function != std::end(kFunctions)) return call(*function, begin);
            std::vector<std::string> all;
            for (const Function& f : kFunctions)
                all.emplace_back(f.name);
            nobody(begin, "function", name, all, "", "()");
        }
        if (const auto index = find(name)) return input(*index, begin);
        if (const roles::Meaning* wanted = roles::meaningOf(name))
            if (auto found = playing(*wanted, begin)) return std::move(*found);
        nobody(begin, "channel", name, names(), "{", "}");
    }

    Node call(const Function& function, size_t at) {
        ++at_;
        Node out{function.op};
        out.at = at;
        do {
            out.parts.push_back(deeper([this] { return choice(); }));
        } while (sign(","));
        const std::string name(function.name);
        need(")", "behind the values of " + name + "()");
        if (out.parts.size() != function.arguments)
            wrong(at, name + "() takes " + std::to_string(function.arguments) +
                          (function.arguments == 1 ? " value" : " values") + ", not " +
                          std::to_string(out.parts.size()));
        if (function.length) takeLength(out, name);
        typed(out, name);
        return folded(std::move(out));
    }
    void takeLength(Node& out, const std::string& name) {
        const Node length = std::move(out.parts.back());
        out.parts.pop_back();
        const Measured second = expression::measuredIn("s", vocabulary_.stoichiometric);
        const auto into = expression::turned(length.unit, second);
        if (!length.isConstant() || !into || !(length.a >= 0) || length.unit.kind == Kind::Truth)
            wrong(length.at, "how far " + name + "() looks back is a time that is typed, such as 0.2 s");
        out.a = into->scale * length.a + into->offset;
    }
    /// Checks what a function is given, and what it gives.
    void typed(Node& out, const std::string& name) {
        Node& first = out.parts[0];
        out.unit = first.unit.kind == Kind::Truth && out.op != Op::Held ? Measured{} : first.unit;
        switch (out.op) {
            case Op::Sqrt:
                if (const auto root = expression::power(first.unit, 1, 2); root || first.unit.plain())
                    out.unit = root.value_or(Measured{});
                else
                    wrong(out.at, "the root of " + first.unit.spoken() + " has no unit; divide by one first");
                break;
            case Op::Exp:
            case Op::Log:
                if (first.unit.known() && first.unit.dimension != expression::Dimension{})
                    wrong(out.at,
                          name + "() is of a bare number, not of " + first.unit.spoken() + "; divide by one first");
                if (first.unit.known()) turn(first, expression::measuredIn("lambda", 1), false);
                out.unit = {};
                break;
            case Op::Min:
            case Op::Max:
                meet(first, out.parts[1], name + "() is of", out.at);
                out.unit = first.unit.kind == Kind::Any ? out.parts[1].unit : first.unit;
                break;
            case Op::Clamp:
                meet(first, out.parts[1], name + "() is of", out.at);
                meet(first, out.parts[2], name + "() is of", out.at);
                break;
            case Op::Rate:
                out.unit.absolute = false;
                out.unit = first.unit.kind == Kind::Any
                               ? Measured{}
                               : expression::product(out.unit, expression::measuredIn("s", 1), true);
                break;
            case Op::Held:
            case Op::Edge:
                asCondition(first, name + "()", out.at);
                out.unit = truth();
                break;
            default:
                break;
        }
    }

    // Units.
    /// Turns a node's numbers into another unit.
    static void turn(Node& node, const Measured& into, bool asDifference) {
        const auto how = expression::turned(node.unit, into, asDifference);
        if (!how || (how->scale == 1 && how->offset == 0)) return;
        if (node.isConstant()) {
            node.a = how->scale * node.a + how->offset;
        } else {
            Node out{Op::Turn};
            out.a = how->scale, out.b = how->offset;
            out.at = node.at;
            out.parts = {std::move(node)};
            node = std::move(out);
        }
        node.unit = into;
    }
    /// Brings the right one into the left one's unit.
    void meet(Node& left, Node& right, const std::string& what, size_t at) {
        for (const Node* one : {&left, &right})
            if (one->unit.kind == Kind::Truth && (left.unit.known() || right.unit.known()))
                wrong(at, what + " " + left.unit.spoken() + " and " + right.unit.spoken());
        if (!left.unit.known() || !right.unit.known()) return;
        const bool difference = left.unit.isTemperature() && !(left.unit.absolute || right.unit.absolute);
        if (!expression::turned(left.unit, right.unit))
            wrong(at, what + " " + left.unit.spoken() + " and " + right.unit.spoken() +
                          ", which can't be turned into each other");
        turn(right, left.unit, difference);
    }
    void asCondition(const Node& node, const std::string& what, size_t at) {
        if (node.unit.kind == Kind::Truth || node.unit.kind == Kind::Any || node.unit.kind == Kind::Unknown) return;
        wrong(at, what + " asks for a condition, not for " + node.unit.spoken() + "; compare it with something");
    }
    Node added(Node left, Node right, bool minus, size_t at) {
        Node out{minus ? Op::Subtract : Op::Add};
        out.at = at;
        const std::string what = std::string("\"") + (minus ? "-" : "+") + "\" joins";
        const bool warm = left.unit.isTemperature() && right.unit.isTemperature();
        if (warm && left.unit.absolute && right.unit.absolute && !minus)
            wrong(at, "two temperatures can't be added; a difference is told in K");
        if (warm) {
            const bool bothAbsolute = left.unit.absolute && right.unit.absolute;
            const bool mixed = left.unit.absolute != right.unit.absolute;
            turn(right, left.unit, mixed || !bothAbsolute);
            out.unit = left.unit;
            if (right.unit.absolute && !bothAbsolute) out.unit.absolute = true;
            if (bothAbsolute) {
                // What is left is a difference, on the same steps.
                out.unit.absolute = false;
                if (std::abs(out.unit.scale - 1) < 1e-12) out.unit = expression::measuredIn("K", 1);
            }
        } else {
            meet(left, right, what, at);
            out.unit = left.unit.kind == Kind::Any || left.unit.kind == Kind::Truth ? right.unit : left.unit;
            if (out.unit.kind == Kind::Truth) out.unit = {};
        }
        out.parts = {std::move(left), std::move(right)};
        return folded(std::move(out));
    }
    static void fromZero(Node& node) {
        if (node.unit.isTemperature() && node.unit.absolute) turn(node, expression::measuredIn("K", 1), false);
    }

    /// What is known already is computed now.
    static Node folded(Node node) {
        if (expression::looksBack(node.op)) return node;
        if (!std::all_of(node.parts.begin(), node.parts.end(), [](const Node& n) { return n.isConstant(); }))
            return node;
        Program program;
        emit(node, program, 0);
        Expression constant;
        constant.program_ = std::make_shared<const Program>(std::move(program));
        Node out;
        out.a = ExpressionRun(std::move(constant)).step(0, {});
        out.unit = node.unit;
        out.at = node.at;
        return out;
    }

    static void emit(const Node& node, Program& out, size_t depth) {
        constexpr size_t kDeepest = 256;
        if (depth > kDeepest) wrong(node.at, "the expression is nested too deep");
        Step step{node.op, node.a, node.b, false, false, false, node.index};
        const bool binary = node.op >= Op::Add && node.op <= Op::Max;
        size_t pushed = 0;
        for (size_t i = 0; i < node.parts.size(); ++i) {
            const Node& part = node.parts[i];
            const Node& other = node.parts[binary ? 1 - i : i];
            if (binary && part.isConstant() && (i == 1 || !other.isConstant())) {
                (i == 1 ? step.constant : step.constantLeft) = true;
                step.a = part.a;
                continue;
            }
            if (binary && i == 1 && part.op == Op::Input && !other.isConstant()) {
                step.input = true, step.index = part.index;
                continue;
            }
            emit(part, out, depth + pushed++);
        }
        if (expression::looksBack(node.op)) step.index = out.memories++;
        out.depth = std::max(out.depth, depth + std::max<size_t>(1, pushed));
        out.steps.push_back(step);
    }

    template <class Parse>
    Node deeper(Parse parse) {
        constexpr int kDeepest = 64;
        if (++depth_ > kDeepest) wrong(at_, "the expression is nested more than 64 deep");
        Node out = parse();
        --depth_;
        return out;
    }

    std::string_view text_;
    const Vocabulary& vocabulary_;
    size_t at_ = 0;
    int depth_ = 0;
    Expression out_;
};

Result<Expression> Expression::compile(std::string_view text, const Vocabulary& vocabulary) {
    return ExpressionCompiler(text, vocabulary).run();
}

Vocabulary vocabularyOf(const Recording& recording) {
    Vocabulary out;
    for (const Group& group : recording.groups)
        for (const Channel& channel : group.channels)
            out.names.push_back({channel.name, channel.unit, channel.role});
    return out;
}

}  // namespace brusk::recording
