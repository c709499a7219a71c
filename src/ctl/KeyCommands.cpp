// key, card: who sits here, and whom they trust.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "ctl/Links.h"

namespace brusk::ctl {
namespace {

using nlohmann::json;

json cardJson(const deliver::Card& card) {
    return {{"name", card.name}, {"fingerprint", card.fingerprint()}};
}

Done makeKey(Context& c, const std::string& name) {
    const auto passphrase = passphraseOf(c);
    if (!passphrase) return tl::unexpected(passphrase.error());
    const auto home = homeOf(c);
    const auto key = home.makeKey(name, *passphrase);
    if (!key) return tl::unexpected(key.error());
    c.outcome.json = cardJson(key->card());
    c.outcome.json["file"] = home.keyFile().string();
    c.outcome.json["passphrase"] = !passphrase->empty();
    c.outcome.text = "Made the key of " + key->card().name + ", " + key->card().fingerprint() + ", in " +
                     home.keyFile().string() + ".\n" +
                     (passphrase->empty() ? "It has no passphrase: whoever reads that file can open what is sealed to "
                                            "you.\n"
                                          : "") +
                     "Keep a backup: bruskctl key backup --to FILE\n";
    return {};
}

Result<deliver::Card> ownCard(Context& c) {
    auto card = homeOf(c).card();
    if (!card) return tl::unexpected(card.error());
    if (!*card) return fail(ErrorCode::NotFound, "No key was made here yet: bruskctl key make --name NAME");
    return std::move(**card);
}

Done showKey(Context& c) {
    const auto card = ownCard(c);
    if (!card) return tl::unexpected(card.error());
    const auto locked = homeOf(c).isLocked();
    if (!locked) return tl::unexpected(locked.error());
    c.outcome.json = cardJson(*card);
    c.outcome.json["passphrase"] = *locked;
    c.outcome.text = card->name + "\n" + card->fingerprint() + "\n" +
                     (*locked ? "protected by a passphrase\n" : "not protected by a passphrase\n");
    return {};
}

Done exportCard(Context& c, const std::string& out, bool force) {
    const auto card = ownCard(c);
    if (!card) return tl::unexpected(card.error());
    c.outcome.json = cardJson(*card);
    c.outcome.json["card"] = card->text();
    c.outcome.text = card->text();
    if (out.empty()) return {};
    if (auto may = mayWrite(c, out, force); !may) return may;
    if (auto done = c.files.save(out, asBytes(card->text())); !done) return done;
    c.outcome.json["written"] = out;
    c.outcome.text = "Wrote the card of " + card->name + ", " + card->fingerprint() + ", to " + out + ".\n";
    return {};
}

Done trustCard(Context& c, const std::string& file, bool instead) {
    const auto text = c.files.read(file, 64 << 10);
    if (!text) return tl::unexpected(text.error());
    const auto card = deliver::Card::fromText(asText(*text));
    if (!card) return tl::unexpected(card.error().in(file));
    const auto trusted = homeOf(c).trust(*card, instead);
    if (!trusted) return tl::unexpected(trusted.error());
    constexpr const char* words[] = {"new", "already", "changed"};
    c.outcome.json = cardJson(*card);
    c.outcome.json["trusted"] = words[static_cast<int>(*trusted)];
    c.outcome.text = (*trusted == deliver::Trusted::Already   ? "This card was trusted already: "
                      : *trusted == deliver::Trusted::Changed ? "In place of the card before: "
                                                              : "Trusted: ") +
                     card->name + ", " + card->fingerprint() + ".\nCompare these digits by telephone.\n";
    return {};
}

Done listCards(Context& c) {
    const auto cards = homeOf(c).trusted();
    if (!cards) return tl::unexpected(cards.error());
    json list = json::array();
    for (const auto& card : *cards) {
        list.push_back(cardJson(card));
        c.outcome.text += card.fingerprint() + "  " + card.name + "\n";
    }
    if (cards->empty()) c.outcome.text = "No card is trusted yet.\n";
    c.outcome.json = {{"cards", list}};
    return {};
}

}  // namespace

void addKeyCommands(Command app, Context& c) {
    struct Options {
        std::string name, to, file;
        bool instead = false, force = false;
    };
    auto o = std::make_shared<Options>();
    const auto runs = [&c, o](Command command, auto work) {
        command.run([&c, o, work] {
            if (auto done = work(c, *o); !done) c.outcome.fail(done.error());
        });
    };
    Command key = app.group("key", "your key: it opens what is sealed to you and signs what you seal");
    auto make = key.command("make", "make it, once");
    make.option("--name", o->name, "your name, as others see it").required();
    runs(make, [](Context& context, const Options& options) { return makeKey(context, options.name); });
    runs(key.command("show", "whose it is, and its fingerprint"),
         [](Context& context, const Options&) { return showKey(context); });
    auto backup = key.command("backup", "a copy of the key file");
    backup.option("--to", o->to, "where to; nothing is overwritten").required();
    runs(backup, [](Context& context, const Options& options) -> Done {
        if (auto done = homeOf(context).backup(options.to); !done) return done;
        context.outcome.json = {{"written", options.to}};
        context.outcome.text = "Copied the key to " + options.to + ". Whoever has it and its passphrase is you.\n";
        return {};
    });

    Command card = app.group("card", "calling cards: yours to hand out, others' to trust");
    auto out = card.command("export", "your card as a short text");
    out.option("--out", o->file, "file to write; else standard output");
    out.flag("--force", o->force, "overwrite it");
    runs(out,
         [](Context& context, const Options& options) { return exportCard(context, options.file, options.force); });
    auto trust = card.command("trust", "trust somebody's card");
    trust.option("FILE", o->file, "the card").required();
    trust.flag("--instead", o->instead, "this person has a new key: the card before is trusted no more");
    runs(trust,
         [](Context& context, const Options& options) { return trustCard(context, options.file, options.instead); });
    runs(card.command("list", "the cards that are trusted"),
         [](Context& context, const Options&) { return listCards(context); });
}

}  // namespace brusk::ctl
