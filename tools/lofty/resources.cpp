#include "resources.hpp"

#include <CLI/CLI.hpp>
#include <algorithm>
#include <filesystem>
#include <system_error>

#include "lofty/decimal.hpp"

namespace tool {

std::string take_bytes(std::string& text) {
  const std::string wrong = "`" + text + "` is no size: 1GiB, 1.5GB, 500MB";
  const std::size_t unit_begin = std::min(text.find_first_not_of("0123456789."), text.size());
  const auto number = lofty::Decimal::parse(text.substr(0, unit_begin));
  if (!number) return wrong;

  // How many bytes one of its unit is, and so many of them.
  std::string one = "1" + text.substr(unit_begin);
  try {
    CLI::AsSizeValue(true)(one);
  } catch (const CLI::ValidationError&) {
    return wrong;  // an unknown unit
  }
  const auto exact = lofty::multiply(*number, *lofty::Decimal::parse(one));
  const auto bytes = exact ? exact->rescaled(0) : exact;
  constexpr std::size_t most_digits = 18;  // in 64 bits
  if (!bytes || bytes->text().size() > most_digits) return wrong;
  text = bytes->text();
  return {};
}

std::string wrong_folder(const std::string& name) {
  std::error_code error;
  return std::filesystem::is_directory(name, error) ? "" : "`" + name + "` is no folder";
}

}  // namespace tool
