// The subcommands of garland-cli edit as the parser knows them.
#pragma once

#include "cli/commands.h"
#include "cli/edit_copies.h"

#include <CLI/App.hpp>
#include <memory>

namespace garland {

// The subcommands of edit: what each is called, its options, and the change that it makes. Lives as long as the parser.
class EditCommands : public std::enable_shared_from_this<EditCommands> {
  public:
    EditCommands(CLI::App& app, Output& out, int& code);
    void add_all();

  private:
    void common(CLI::App* sub);
    CLI::App* add(const char* name, const char* what, Change change);
    CLI::App* add_bare(const char* name, const char* what); // its callback is set by the caller
    void run(const Change& change);
    CLI::Option* at(CLI::App* sub, const char* what = "The output frame") {
        return sub->add_option("--at", w_->at, what)->required();
    }
    CLI::Option* range(CLI::App* sub, const char* what) { return sub->add_option("--range", w_->range, what); }
    void toward(CLI::App* sub) {
        sub->add_option("--toward", w_->toward, "step, linear, smooth, free or hidden: how it goes on to the next key");
    }
    void add_operations();
    void add_keys();
    void add_lists();
    void add_settings();
    void add_timings();
    void add_camera();
    void add_wobble();
    void add_source();
    void add_loops();
    void add_sources();
    CLI::App& app_;
    Output& out_;
    int& code_;
    std::shared_ptr<Words> w_ = std::make_shared<Words>();
    CLI::App* edit_ = nullptr;
};

} // namespace garland
