// The only source that sees the library behind Arguments.h: it takes seconds to compile.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "ctl/Arguments.h"

#include <CLI/CLI.hpp>
#include <sstream>

namespace brusk::ctl {

Argument Argument::required() {
    option_->required();
    return *this;
}

Argument Argument::needs(Argument other) {
    option_->needs(other.option_);
    return *this;
}

Argument Argument::excludes(Argument other) {
    option_->excludes(other.option_);
    return *this;
}

Argument Argument::range(int least, int most) {
    option_->check(CLI::Range(least, most));
    return *this;
}

Argument Argument::range(double least, double most) {
    option_->check(CLI::Range(least, most));
    return *this;
}

Argument Argument::oneOf(const std::vector<std::string>& texts) {
    option_->check(CLI::IsMember(texts));
    return *this;
}

Argument Argument::commas() {
    option_->delimiter(',');
    return *this;
}

Command Command::command(const std::string& name, const std::string& help) {
    return Command(app_->add_subcommand(name, help));
}

Command Command::group(const std::string& name, const std::string& help) {
    return Command(app_->add_subcommand(name, help)->require_subcommand(1));
}

Argument Command::option(const std::string& name, std::string& value, const std::string& help) {
    return Argument(app_->add_option(name, value, help));
}

Argument Command::option(const std::string& name, std::vector<std::string>& values, const std::string& help) {
    return Argument(app_->add_option(name, values, help));
}

Argument Command::option(const std::string& name, std::vector<double>& values, const std::string& help) {
    return Argument(app_->add_option(name, values, help));
}

Argument Command::option(const std::string& name, int& value, const std::string& help) {
    return Argument(app_->add_option(name, value, help));
}

Argument Command::option(const std::string& name, uint64_t& value, const std::string& help) {
    return Argument(app_->add_option(name, value, help));
}

Argument Command::option(const std::string& name, double& value, const std::string& help) {
    return Argument(app_->add_option(name, value, help));
}

Argument Command::flag(const std::string& name, bool& value, const std::string& help) {
    return Argument(app_->add_flag(name, value, help));
}

void Command::run(std::function<void()> work) {
    app_->callback(std::move(work));
}

CommandLine::CommandLine(const std::string& about) : app_(std::make_unique<CLI::App>(about)) {
    app_->require_subcommand(1);
    app_->fallthrough();
}

CommandLine::~CommandLine() = default;

Command CommandLine::commands() {
    return Command(app_.get());
}

bool CommandLine::run(int argc, const char* const* argv, int& code, std::string& sentence) {
    try {
        app_->parse(argc, argv);
        return true;
    } catch (const CLI::ParseError& problem) {
        std::ostringstream said;
        code = app_->exit(problem, std::cout, said) == 0 ? 0 : 2;
        sentence = said.str();
    } catch (const WrongUse& problem) {
        code = 2;
        sentence = problem.sentence;
    }
    while (!sentence.empty() && sentence.back() == '\n')
        sentence.pop_back();
    return false;
}

}  // namespace brusk::ctl
