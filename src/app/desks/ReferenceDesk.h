// What the calibration under edit is held against: its parent, the original, another round, another car's.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QObject>
#include <map>

#include "app/desks/CarInHand.h"
#include "core/job/Donors.h"

namespace brusk::app {

class Background;
class Messages;
class Places;

class ReferenceDesk : public QObject {
    Q_OBJECT
  public:
    using Seen = std::shared_ptr<const calibration::Calibration>;

    ReferenceDesk(const CarInHand& car, Places& places, Background& background, Messages& messages);

    /// The parent of the selected round, unless another was chosen; null for none.
    const calibration::Calibration* reference() const { return reference_.get(); }
    QString name() const { return name_; }
    QString key() const { return key_; }
    /// Everything that can be held beside the selected round: "parent", "original", "round:7", "donor:0".
    struct Choice {
        QString key;
        QString name;
    };
    std::vector<Choice> choices() const;
    void choose(const QString& key);
    Seen named(const QString& key) const;
    /// Another folder or another definition: what was seen is read anew.
    void reload();
    /// Back to the parent.
    void forgetChoice() { key_ = "parent"; }

    /// Other cars' calibrations that the folder keeps; there once they are read.
    const std::vector<job::DonorPtr>& donors() const { return donors_; }
    void setDonorSheet(const job::DonorPtr& donor, const proposals::BuildSheet& sheet);
    /// A calibration from a file, kept in the folder and held beside ours; `definitionFile` empty: seen through our own
    /// definition.
    [[nodiscard]] Done addDonor(const storage::Path& image, const storage::Path& definitionFile);

  signals:
    void changed();
    void donorsChanged();

  private:
    void look();
    void loadDonors();
    Seen ofRound(int64_t round) const;

    const CarInHand& car_;
    Places& places_;
    Background& background_;
    Messages& messages_;
    Seen reference_;
    QString name_;
    QString key_ = "parent";
    std::vector<job::DonorPtr> donors_;
    mutable std::map<int64_t, std::pair<std::string, Seen>> seen_;  // rounds, by image
};

}  // namespace brusk::app
