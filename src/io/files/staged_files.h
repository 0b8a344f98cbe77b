// Several files that belong together: all of them appear, or none does and what was there stays.
#pragma once

#include "core/base/result.h"
#include "io/files/file.h"

#include <string>
#include <vector>

namespace garland {

// A hidden folder beside the target that files are written into, read back and compared in. publish() gives them their
// places; destroyed without it, everything is removed. A program that is stopped while it publishes leaves what the
// next one brings to its end: the files are complete by then.
class StagedFiles {
  public:
    // `folder` must be there. Errors: those of writing.
    static Result<StagedFiles> create(const std::string& folder);
    StagedFiles(StagedFiles&& other) noexcept;
    StagedFiles& operator=(StagedFiles&&) = delete;
    ~StagedFiles();

    const std::string& folder() const { return inside_; } // write here
    struct Place {
        std::string staged, name; // what it is called in here, and where it goes
    };
    // In the order in which they appear; a name may come twice, the later file then takes the place of the earlier one.
    // Errors: exists, where one is there and `existing` refuses; unreadable, for one that is read-only or no file;
    // disk_full … In every case what was there is there again.
    Result<void> publish(const std::vector<Place>& places, Existing existing);

  private:
    StagedFiles(std::string folder, std::string inside) : folder_(std::move(folder)), inside_(std::move(inside)) {}
    std::string folder_, inside_;
};

// What a program that has ended left: publishes on, where it had begun to.
void finish_staged(const std::string& inside, const std::string& folder);

} // namespace garland
