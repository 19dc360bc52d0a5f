#pragma once
// The tool as a process.

#include <filesystem>
#include <string>
#include <string_view>
#include <vector>

namespace support {

struct Ran {
  int status = 0;  // exit status; 128 + N for signal N
  std::string out, err;
};

// Runs `lofty` with these arguments in `folder`. NO_COLOR and the locale are as in the test's own environment, to which
// `environment` ("NAME=value") is added. It is killed after a minute.
Ran lofty(const std::vector<std::string>& arguments, const std::filesystem::path& folder = ".",
          const std::vector<std::string>& environment = {});
// Runs a shell command line.
Ran shell(const std::string& line);

// A folder of its own for a test, removed with it.
class Scratch {
 public:
  Scratch();
  Scratch(const Scratch&) = delete;
  Scratch& operator=(const Scratch&) = delete;
  ~Scratch();
  const std::filesystem::path& path() const { return path_; }
  std::filesystem::path file(const std::string& name, std::string_view text) const;

 private:
  std::filesystem::path path_;
};

std::string slurp(const std::filesystem::path& file);
std::filesystem::path demo();

}  // namespace support
