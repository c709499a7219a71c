// Joins each code with its frozen values and with the parameters that name it.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/job/TroubleCodes.h"

#include <algorithm>

namespace brusk::job {
namespace {

/// `word` with nothing of a word on either side.
bool mentions(std::string_view text, std::string_view word) {
    const auto wordLike = [](char c) { return std::isalnum(static_cast<unsigned char>(c)) != 0; };
    for (size_t at = text.find(word); at != std::string_view::npos; at = text.find(word, at + 1)) {
        const size_t end = at + word.size();
        if ((at == 0 || !wordLike(text[at - 1])) && (end == text.size() || !wordLike(text[end]))) return true;
    }
    return false;
}

}  // namespace

std::vector<const definition::Parameter*> parametersOfCode(const definition::Definition& definition,
                                                           std::string_view code) {
    std::vector<const definition::Parameter*> out;
    for (const auto& parameter : definition.parameters)
        if (mentions(parameter.title(), code) || mentions(parameter.description, code)) out.push_back(&parameter);
    // The one that carries the code in its name switches it.
    std::stable_partition(out.begin(), out.end(), [&](const auto* p) { return mentions(p->title(), code); });
    return out;
}

Result<std::vector<TroubleCodeReport>> troubleCodes(link::Uds& uds, const Kit& kit) {
    const auto codes = uds.readTroubleCodes();
    if (!codes) return tl::unexpected(codes.error());
    std::vector<TroubleCodeReport> out;
    for (const link::TroubleCode& code : *codes) {
        TroubleCodeReport report{code, 0, {}, {}};
        // A controller may keep neither frames nor counts; only a link that fails ends the list.
        const auto frame = uds.freezeFrame(code.code);
        if (!frame && frame.error().code != ErrorCode::Refused) return tl::unexpected(frame.error());
        if (frame)
            for (const link::FrozenValue& value : *frame)
                if (const auto* item = kit.profile.frozenItem(value.did))
                    report.frozen.push_back({item->label, item->unit, item->physical(value.raw)});
        if (const auto count = uds.occurrences(code.code)) report.occurrences = *count;
        const std::string name = code.name();
        report.parameters = parametersOfCode(*kit.definition, std::string_view(name).substr(0, 5));
        out.push_back(std::move(report));
    }
    return out;
}

}  // namespace brusk::job
