// Readers by command: a file ending that a program of the user's own turns into a format that is read here. They stand
// in the user's settings and never in a project, so a project that came from elsewhere runs nothing by itself.
#pragma once

#include "core/base/progress.h"
#include "core/source/source.h"

#include <string>
#include <vector>

namespace garland {

struct ReaderCommand {
    std::string ending;               // ".lamps": lower case, with its point; none that is read here anyway
    std::vector<std::string> command; // the program and its words; {in} and {out} in them stand for paths
    std::string as = "usdc";          // what it writes, one of reader_command_formats()
    double limit = 600;               // seconds, > 0; a program that takes longer is stopped
    bool operator==(const ReaderCommand&) const = default;
};

// usda, usdc, usdz, glb: {out} is the file to write. ply, npy: {out} is a path without ending; the program writes
// {out}.0001.ply …, or {out}.npy with {out}.ply or {out}.obj beside it.
const std::vector<std::string>& reader_command_formats();

// readers.json in the user's settings folder ($XDG_CONFIG_HOME/garland, else ~/.config/garland).
std::string reader_commands_file();
// By ending; none where there is no such file. Errors: those of reading; malformed and invalid, with what and where.
Result<std::vector<ReaderCommand>> load_reader_commands();
// Errors: invalid, as check_reader_command; exists, for two of one ending; those of writing. The old file then stays.
Result<void> save_reader_commands(std::vector<ReaderCommand> all);
// Errors: invalid, where the ending is not one or is read anyway, {in} or {out} is missing, the format is unknown or
// the limit is not above 0.
Result<void> check_reader_command(const ReaderCommand& one);

// A command as one line and back: words with spaces in double quotes; \ takes the next character as it is. Error:
// invalid, for a quote that is not closed.
std::string command_line(const std::vector<std::string>& words);
Result<std::vector<std::string>> command_words(const std::string& line);

// Opens a file by its command; what that wrote is kept (converted.h). Errors: as run_program; invalid, with the
// program's own words, where it ends with another code than 0; not_found, where it wrote nothing; those of opening what
// it wrote; cancelled. Nothing is kept of a run that failed.
Result<SourcePtr> open_by_command(const ReaderCommand& reader, const std::string& path, Progress& progress,
                                  const SourceChoices& choices);

} // namespace garland
