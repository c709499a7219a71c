// The links a command can name, the kits it can find, and the controller at the other end.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <memory>
#include <string>
#include <vector>

#include "benchcar/VirtualBus.h"
#include "core/carfolder/CarFolder.h"
#include "core/job/Deliver.h"
#include "core/job/Garage.h"
#include "core/job/Import.h"
#include "core/link/Traffic.h"
#include "ctl/Commands.h"

namespace brusk::ctl {

/// What every command that uses a link is told about it.
struct LinkOptions {
    std::string link;
    uint64_t seed = 1;
    bool drawn = false;   ///< the bench car is one of its kind, drawn from the seed
    std::string route;    ///< the bench car drives it meanwhile
    std::string traffic;  ///< a candump log to write
    double pace = 0;      ///< seconds of the bench car a second of wall clock; 0: as fast as it can
    void addTo(Command command, bool required = true);
};

/// An open link: "bench" is a fresh bench car in virtual time, "unix:PATH" a bus over a Unix-domain socket,
/// "socketcan:IFACE" an interface of the kernel. When it goes, its traffic is saved where that was asked for.
struct OpenLink {
    OpenLink(Context& context, LinkOptions options) : context_(context), options_(std::move(options)) {}
    ~OpenLink();
    OpenLink(const OpenLink&) = delete;
    OpenLink& operator=(const OpenLink&) = delete;

    std::unique_ptr<benchcar::BenchCar> car;    ///< only for "bench"
    std::unique_ptr<benchcar::VirtualBus> bus;  ///< of it
    std::unique_ptr<link::CanPort> port;
    link::TrafficLog traffic;
    /// Lets time pass on the bus.
    [[nodiscard]] Done wait(double seconds);

  private:
    Context& context_;
    LinkOptions options_;
};
[[nodiscard]] Result<std::unique_ptr<OpenLink>> openLink(Context& context, const LinkOptions& options);

/// A link, the controller on it, and a client for it.
struct LinkSession {
    std::unique_ptr<OpenLink> link;
    job::Found found;
    std::unique_ptr<link::Uds> uds;
    const job::Kit& kit() const { return *found.kit; }
};
/// Finds the controller; with `strict`, one that does not match profile and definition is an error.
[[nodiscard]] Result<LinkSession> connect(Context& context, const LinkOptions& options, bool strict = true,
                                          const std::string& usualProfile = {});

/// Progress of a long job on standard error, unless it is to be quiet.
link::OnProgress progressOnStandardError(const Context& context);

/// The kits of the data folder (BRUSK_DATA, or what was built in).
[[nodiscard]] Result<std::vector<std::shared_ptr<const job::Kit>>> dataKits(Context& context);
/// The kit of the controller that a car folder was read from.
[[nodiscard]] Result<std::shared_ptr<const job::Kit>> kitOf(Context& context, const carfolder::CarFolder& folder);
storage::Path dataFolder();
/// Opens a car folder, or makes it where none is.
[[nodiscard]] Result<std::unique_ptr<carfolder::CarFolder>> openOrCreate(Context& context, const std::string& path);
/// A car folder, the kit of its controller and one of its rounds: by its number, or the newest where that is negative.
struct RoundOf {
    std::unique_ptr<carfolder::CarFolder> folder;
    std::shared_ptr<const job::Kit> kit;
    carfolder::Round round;
};
[[nodiscard]] Result<RoundOf> roundOf(Context& context, const std::string& car, int number);

/// Where import plans and DBC files of one's own lie.
job::ImportHome importHomeOf(const Context& context);
/// A file for import.
[[nodiscard]] Result<recording::ImportFile> importFileOf(Context& context, const std::string& path,
                                                         const std::vector<std::string>& dbcs);
/// A recording of any readable format, as a path on the command line; `dbcs` say what a CAN log's frames mean, beside
/// those of one's own library.
[[nodiscard]] Result<recording::Recording> recordingOf(Context& context, const std::string& path,
                                                       const std::vector<std::string>& dbcs = {});

/// The key and cards of whoever asks.
deliver::Home homeOf(Context& context);
/// The folder of one's own things.
storage::Path homeFolder(const Context& context);
/// The first line of --passphrase-file, which can't be empty; empty where none was named.
[[nodiscard]] Result<std::string> passphraseOf(Context& context);
/// The key, opened with the passphrase of --passphrase-file.
[[nodiscard]] Result<deliver::Key> keyOf(Context& context);
/// Lets the folder's sealed rounds be flashed, if it has any and the key can be opened.
void useOwnKey(Context& context, carfolder::CarFolder& folder);

}  // namespace brusk::ctl
