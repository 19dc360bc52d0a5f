#include "support/faults.hpp"

#include <cstdlib>

namespace support {

bool faults_work() {
#if defined(__SANITIZE_ADDRESS__) || defined(__SANITIZE_THREAD__)
  return false;
#elif defined(__has_feature)
#if __has_feature(address_sanitizer) || __has_feature(thread_sanitizer)
  return false;
#endif
#endif
  return true;
}

Ran lofty_with(const Fault& fault, const std::vector<std::string>& arguments, const std::filesystem::path& folder) {
  std::vector<std::string> environment = {
      "LD_PRELOAD=" LOFTY_FAULTS,
      "LOFTY_FAULT=" + fault.kind + ":" + std::to_string(fault.at) + (fault.what.empty() ? "" : ":" + fault.what)};
  if (fault.early) environment.push_back("LOFTY_FAULT_EARLY=1");
  if (!fault.file.empty()) environment.push_back("LOFTY_FAULT_FILE=" + fault.file);
  return lofty(arguments, folder, environment);
}

long calls_of(const std::string& kind, const std::vector<std::string>& arguments, const std::filesystem::path& folder) {
  const Scratch scratch;
  const std::string count = (scratch.path() / "count").string();
  lofty(arguments, folder,
        {"LD_PRELOAD=" LOFTY_FAULTS, "LOFTY_FAULT=" + kind + ":1000000000", "LOFTY_FAULT_COUNT=" + count});
  return std::atol(slurp(count).c_str());
}

}  // namespace support
