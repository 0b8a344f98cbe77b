// Completion scripts for shells, made from the parser itself, so that they cannot differ from it.
#include "cli/commands.h"

#include <CLI/CLI.hpp>
#include <algorithm>
#include <fmt/format.h>
#include <fmt/ranges.h>

namespace garland {

namespace {

struct Flag {
    std::string name, help;           // "--what"
    std::vector<std::string> choices; // what may follow; empty: anything
    bool value = false;               // something must follow
};

struct Verb {
    std::string path, help; // "edit hold"; "" is the program itself
    std::vector<std::string> below;
    std::vector<Flag> flags;
};

// "TEXT:{ply,usda,usdc}" as CLI11 writes the type of an option with a set of words.
std::vector<std::string> choices_of(const std::string& type) {
    const std::size_t from = type.find('{'), to = type.rfind('}');
    std::vector<std::string> out;
    if (from == type.npos || to == type.npos || to < from) return out;
    std::string word;
    for (const char c : type.substr(from + 1, to - from - 1)) {
        if (c == ',') {
            out.push_back(std::move(word));
            word.clear();
        } else {
            word += c;
        }
    }
    out.push_back(std::move(word));
    return out;
}

std::string first_sentence(std::string text) {
    for (char& c : text) {
        if (c == '\n' || c == '\'' || c == '"' || c == '\\' || c == '`' || c == '$') c = ' ';
    }
    if (const std::size_t end = text.find_first_of(".;"); end != text.npos) text.resize(end);
    return text;
}

void collect(const CLI::App& app, const std::string& path, std::vector<Verb>& all) {
    Verb verb{path, first_sentence(app.get_description()), {}, {}};
    for (const CLI::Option* o : app.get_options()) {
        for (const std::string& name : o->get_lnames()) {
            const bool value = o->get_items_expected_max() > 0;
            verb.flags.push_back({"--" + name, first_sentence(o->get_description()),
                                  value ? choices_of(o->get_type_name()) : std::vector<std::string>{}, value});
        }
    }
    const auto below = app.get_subcommands([](const CLI::App*) { return true; });
    for (const CLI::App* sub : below) {
        if (!sub->get_group().empty()) verb.below.push_back(sub->get_name());
    }
    all.push_back(std::move(verb));
    for (const CLI::App* sub : below) {
        if (sub->get_group().empty()) continue; // what the program runs by itself
        collect(*sub, path.empty() ? sub->get_name() : path + " " + sub->get_name(), all);
    }
}

std::vector<std::string> names_of(const Verb& verb) {
    std::vector<std::string> out;
    for (const Flag& f : verb.flags) out.push_back(f.name);
    return out;
}

std::string bash_script(const std::vector<Verb>& verbs) {
    std::string out =
        "# Completion of garland-cli for bash.\n_garland_cli() {\n"
        "    local word path=\"\" current=\"${COMP_WORDS[COMP_CWORD]}\" previous=\"${COMP_WORDS[COMP_CWORD-1]}\" i\n"
        "    for ((i = 1; i < COMP_CWORD; i++)); do\n        word=\"${path:+$path }${COMP_WORDS[i]}\"\n        case "
        "\"$word\" in\n";
    std::vector<std::string> paths;
    for (const Verb& v : verbs) {
        if (!v.path.empty()) paths.push_back("\"" + v.path + "\"");
    }
    out += fmt::format("        {}) path=\"$word\" ;;\n        esac\n    done\n    case \"$path:$previous\" in\n",
                       fmt::join(paths, "|"));
    for (const Verb& v : verbs) {
        for (const Flag& f : v.flags) {
            if (!f.choices.empty())
                out += fmt::format("    \"{}:{}\") COMPREPLY=($(compgen -W \"{}\" -- \"$current\")); return ;;\n",
                                   v.path, f.name, fmt::join(f.choices, " "));
        }
    }
    out += "    esac\n    local flags=\"\" below=\"\"\n    case \"$path\" in\n";
    for (const Verb& v : verbs)
        out += fmt::format("    \"{}\") flags=\"{}\"; below=\"{}\" ;;\n", v.path, fmt::join(names_of(v), " "),
                           fmt::join(v.below, " "));
    out += "    esac\n    if [[ \"$current\" == -* ]]; then\n        COMPREPLY=($(compgen -W \"$flags\" -- "
           "\"$current\"))\n"
           "    else\n        COMPREPLY=($(compgen -W \"$below\" -- \"$current\") $(compgen -f -- \"$current\"))\n    "
           "fi\n}\n"
           "complete -o filenames -F _garland_cli garland-cli\n";
    return out;
}

std::string zsh_script(const std::vector<Verb>& verbs) {
    std::string out = "#compdef garland-cli\n# Completion of garland-cli for zsh.\nlocal word place= "
                      "previous=\"${words[CURRENT-1]}\" i\n"
                      "local -a flags below\nfor ((i = 2; i < CURRENT; i++)); do\n    word=\"${place:+$place "
                      "}${words[i]}\"\n    case \"$word\" in\n";
    std::vector<std::string> paths;
    for (const Verb& v : verbs) {
        if (!v.path.empty()) paths.push_back("(\"" + v.path + "\")");
    }
    for (const std::string& p : paths) out += fmt::format("    {} place=\"$word\" ;;\n", p.substr(1));
    out += "    esac\ndone\ncase \"$place:$previous\" in\n";
    for (const Verb& v : verbs) {
        for (const Flag& f : v.flags) {
            if (!f.choices.empty())
                out +=
                    fmt::format("\"{}:{}\") compadd -- '{}'; return ;;\n", v.path, f.name, fmt::join(f.choices, "' '"));
        }
    }
    out += "esac\ncase \"$place\" in\n";
    for (const Verb& v : verbs) {
        out += fmt::format("\"{}\")\n    flags=(\n", v.path);
        for (const Flag& f : v.flags) out += fmt::format("        '{}:{}'\n", f.name, f.help);
        out += "    )\n    below=(\n";
        for (const Verb& sub : verbs) {
            const std::string head = v.path.empty() ? "" : v.path + " ";
            if (sub.path.size() <= head.size() || !sub.path.starts_with(head)) continue;
            const std::string name = sub.path.substr(head.size());
            if (name.find(' ') == name.npos) out += fmt::format("        '{}:{}'\n", name, sub.help);
        }
        out += "    ) ;;\n";
    }
    return out + "esac\nif [[ \"${words[CURRENT]}\" == -* ]]; then\n    _describe option flags\nelse\n"
                 "    (( ${#below} )) && _describe command below\n    _files\nfi\n";
}

std::string fish_script(const std::vector<Verb>& verbs) {
    std::string out = "# Completion of garland-cli for fish.\n";
    auto where = [](const std::string& path, const std::vector<std::string>& below) {
        std::string condition;
        for (std::size_t at = 0; at < path.size();) {
            const std::size_t end = std::min(path.find(' ', at), path.size());
            condition += fmt::format("{}__fish_seen_subcommand_from {}", condition.empty() ? "" : "; and ",
                                     path.substr(at, end - at));
            at = end + 1;
        }
        if (!below.empty())
            condition += fmt::format("{}not __fish_seen_subcommand_from {}", condition.empty() ? "" : "; and ",
                                     fmt::join(below, " "));
        return condition.empty() ? std::string("true") : condition;
    };
    for (const Verb& v : verbs) {
        const std::string here = where(v.path, v.below);
        for (const Flag& f : v.flags) {
            out += fmt::format("complete -c garland-cli -n '{}' -l {} -d '{}'", here, f.name.substr(2), f.help);
            if (!f.choices.empty()) {
                out += fmt::format(" -x -a '{}'", fmt::join(f.choices, " "));
            } else if (f.value) {
                out += " -r";
            }
            out += '\n';
        }
        const std::string head = v.path.empty() ? "" : v.path + " ";
        for (const Verb& sub : verbs) {
            if (sub.path.size() <= head.size() || !sub.path.starts_with(head)) continue;
            const std::string name = sub.path.substr(head.size());
            if (name.find(' ') == name.npos)
                out += fmt::format("complete -c garland-cli -n '{}' -a {} -d '{}'\n", here, name, sub.help);
        }
    }
    return out;
}

} // namespace

std::string completion_script(const CLI::App& app, const std::string& shell) {
    std::vector<Verb> verbs;
    collect(app, "", verbs);
    return shell == "zsh" ? zsh_script(verbs) : shell == "fish" ? fish_script(verbs) : bash_script(verbs);
}

} // namespace garland
