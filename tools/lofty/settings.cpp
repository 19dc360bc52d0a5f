#include "settings.hpp"

#include <CLI/CLI.hpp>

#include <cstdlib>
#include <filesystem>
#include <fstream>
#include <sstream>

#include "lofty/lofty.hpp"

namespace tool {
namespace {

namespace fs = std::filesystem;

fs::path settings_file() {
  const char* const config = std::getenv("XDG_CONFIG_HOME");
  if (config != nullptr && *config == '/') return fs::path(config) / "lofty" / "config.toml";
  const char* const home = std::getenv("HOME");
  return home == nullptr || *home != '/' ? fs::path() : fs::path(home) / ".config" / "lofty" / "config.toml";
}

// A problem at the line of a key.
[[noreturn]] void refuse(const fs::path& file, const std::string& text, const std::string& key, std::string sentence,
                         std::string nearest = {}, std::string advice = {}) {
  lofty::Problem p{lofty::Code::bad_value, std::move(sentence), {}, std::move(nearest), std::move(advice)};
  p.location.file = file.string();
  std::istringstream lines(text);
  std::size_t number = 0;
  for (std::string line; std::getline(lines, line);) {
    ++number;
    const std::size_t begin = line.find_first_not_of(" \t");
    if (begin == std::string::npos || line.compare(begin, key.size(), key) != 0) continue;
    p.location.line = number;
    p.location.column = begin + 1;
    p.location.text = line;
    p.location.offset = begin;
    p.location.length = key.size();
    break;
  }
  throw lofty::Error(std::move(p));
}

Settings read_settings() {
  Settings out;
  const fs::path file = settings_file();
  std::error_code error;
  if (file.empty() || !fs::exists(file, error)) return out;
  if (!fs::is_regular_file(file, error))
    refuse(file, "", "", "the settings are not in a regular file", {}, "move it away; a text file has them");
  std::ifstream in(file);
  std::ostringstream all;
  all << in.rdbuf();
  const std::string text = all.str();
  if (!in && !in.eof()) refuse(file, text, "", "the settings cannot be read");

  // Each setting, of a few.
  static const std::vector<std::string> keys = {"colours", "threads", "memory", "spill_to", "pager", "remarks"};
  std::istringstream again(text);
  for (const CLI::ConfigItem& item : CLI::ConfigTOML().from_config(again)) {
    if (item.name == "++" || item.name == "--") continue;  // where a section begins and ends
    const std::string value = item.inputs.empty() ? "" : item.inputs.front();
    if (!item.parents.empty() || std::find(keys.begin(), keys.end(), item.name) == keys.end())
      refuse(file, text, item.name, "there is no setting `" + item.fullname() + "`",
             lofty::nearest_word(item.name, keys),
             "colours, threads, memory, spill_to, pager and remarks are settings");
    if (item.name == "colours") {
      if (value != "auto" && value != "always" && value != "never")
        refuse(file, text, item.name, "`colours` is auto, always or never, not `" + value + "`",
               lofty::nearest_word(value, {"auto", "always", "never"}));
      out.colours = value == "auto"     ? Settings::Colours::automatic
                    : value == "always" ? Settings::Colours::always
                                        : Settings::Colours::never;
    } else if (item.name == "threads") {
      const auto number = lofty::Decimal::parse(value);
      if (!number || number->scale() != 0 || number->coefficient() < 0 || number->coefficient() > 1024)
        refuse(file, text, item.name, "`threads` is a whole number from 0 to 1024, not `" + value + "`", {},
               "0 means as many as the machine has");
      out.resources.threads = static_cast<int>(number->coefficient());
    } else if (item.name == "memory") {
      std::string bytes = value;
      if (const std::string wrong = take_bytes(bytes); !wrong.empty()) refuse(file, text, item.name, wrong);
      out.resources.memory = std::stoull(bytes);
    } else if (item.name == "spill_to") {
      if (const std::string wrong = wrong_folder(value); !wrong.empty()) refuse(file, text, item.name, wrong);
      out.resources.spill_to = value;
    } else if (item.name == "pager") {
      out.pager = value;
    } else {
      if (value != "none" && value != "short" && value != "full")
        refuse(file, text, item.name, "`remarks` is none, short or full, not `" + value + "`",
               lofty::nearest_word(value, {"none", "short", "full"}));
      out.remarks = value;
    }
  }
  return out;
}

}  // namespace

namespace {
Settings current;
}

void load_settings() { current = read_settings(); }

const Settings& settings() { return current; }

}  // namespace tool
