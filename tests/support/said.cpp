#include "support/said.hpp"

#include "lofty/lofty.hpp"

namespace support {

using namespace lofty;

Said ask(const Ladder& ladder, const std::filesystem::path& folder, int threads) {
  Said out;
  Run run{.threads = threads};
  run.step = [&](std::string_view step) {
    if (step.starts_with("reading and "))
      out.in_one_pass = true;
    else if (step.starts_with("reading lines") || step.starts_with("reading l*"))
      out.in_one_pass = false;
  };
  try {
    const Standings s = standings(ladder, TableFiles(folder), run);
    out.text = listing(s) + accounting_text(s) + written(s, Format::json);
    out.answered = true;
  } catch (const Error& error) {
    for (const Problem& p : error.problems())
      out.text += std::string(to_string(p.code)) + ": " + p.sentence + " | " + p.location.file + ":" +
                  std::to_string(p.location.line) + " " + p.location.key + " | " + p.advice + "\n";
  }
  return out;
}

}  // namespace support
