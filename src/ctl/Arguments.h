// What a command takes from the command line. A small face of the library that parses it, which one source includes.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>
#include <functional>
#include <memory>
#include <string>
#include <vector>

namespace CLI {
class App;
class Option;
}  // namespace CLI

namespace brusk::ctl {

/// Thrown by a command that finds its arguments don't go together; main() prints it and exits with 2.
struct WrongUse {
    std::string sentence;
};

/// One argument of a command; what it is bound to must live until the command has run.
class Argument {
  public:
    explicit Argument(CLI::Option* option) : option_(option) {}
    Argument required();
    Argument needs(Argument other);
    Argument excludes(Argument other);
    /// A number from `least` to `most`, both allowed.
    Argument range(int least, int most);
    Argument range(double least, double most);
    Argument oneOf(const std::vector<std::string>& texts);
    /// Several values in one word: 1,2,3.
    Argument commas();

  private:
    CLI::Option* option_;
};

/// A command, or a group of commands. "NAME" is a place among the words, "--name" an option.
class Command {
  public:
    explicit Command(CLI::App* app) : app_(app) {}
    Command command(const std::string& name, const std::string& help);
    /// A group: one of its commands must be named.
    Command group(const std::string& name, const std::string& help);
    Argument option(const std::string& name, std::string& value, const std::string& help = "");
    Argument option(const std::string& name, std::vector<std::string>& values, const std::string& help = "");
    Argument option(const std::string& name, std::vector<double>& values, const std::string& help = "");
    Argument option(const std::string& name, int& value, const std::string& help = "");
    Argument option(const std::string& name, uint64_t& value, const std::string& help = "");
    Argument option(const std::string& name, double& value, const std::string& help = "");
    Argument flag(const std::string& name, bool& value, const std::string& help = "");
    /// What the command does; called after all arguments were understood.
    void run(std::function<void()> work);

  private:
    CLI::App* app_;
};

/// The whole command line.
class CommandLine {
  public:
    explicit CommandLine(const std::string& about);
    ~CommandLine();
    CommandLine(const CommandLine&) = delete;
    CommandLine& operator=(const CommandLine&) = delete;
    Command commands();
    /// Understands the words and runs the command they name. False when there is nothing more to do: `code` is then 0
    /// (help was asked for and printed) or 2 (wrong use, `sentence` says why; when it is empty it was printed).
    bool run(int argc, const char* const* argv, int& code, std::string& sentence);

  private:
    std::unique_ptr<CLI::App> app_;
};

}  // namespace brusk::ctl
