// Whole processes against each other: the best-shops ladder over generated order lines, and libcsv alone over the same
// file on all cores. Prints seconds (median of the runs, and their range), the ratio pair by pair, and peak memory.
//   whole_job [LINES] [RUNS]

#include <fcntl.h>
#include <sys/resource.h>
#include <sys/wait.h>
#include <unistd.h>

#include <algorithm>
#include <chrono>
#include <cstdio>
#include <cstdlib>
#include <filesystem>
#include <fstream>
#include <iterator>
#include <string>
#include <vector>

namespace {

namespace fs = std::filesystem;

struct Measured {
  double seconds = 0;
  long peak_kib = 0;
};

Measured run(const std::vector<std::string>& command, const fs::path& out) {
  const auto begin = std::chrono::steady_clock::now();
  const pid_t child = ::fork();
  if (child == 0) {
    const int to = ::open(out.c_str(), O_WRONLY | O_CREAT | O_TRUNC, 0600);
    ::dup2(to, 1);
    ::dup2(to, 2);
    std::vector<char*> arguments;
    for (const std::string& word : command) arguments.push_back(const_cast<char*>(word.c_str()));
    arguments.push_back(nullptr);
    ::execv(arguments[0], arguments.data());
    ::_exit(127);
  }
  int status = 0;
  rusage usage{};
  ::wait4(child, &status, 0, &usage);
  if (status != 0) {
    std::fprintf(stderr, "%s failed\n", command[0].c_str());
    std::exit(1);
  }
  return {std::chrono::duration<double>(std::chrono::steady_clock::now() - begin).count(), usage.ru_maxrss};
}

struct Figures {
  std::vector<double> values;
  double median() {
    std::sort(values.begin(), values.end());
    return values[values.size() / 2];
  }
};

std::string slurp(const fs::path& file) {
  std::ifstream in(file);
  return {std::istreambuf_iterator<char>(in), {}};
}

}  // namespace

int main(int argc, char** argv) {
  const std::string lines = argc > 1 ? argv[1] : "10000000";
  const int runs = argc > 2 ? std::atoi(argv[2]) : 5;
  const fs::path folder = fs::temp_directory_path() / ("lofty_bench_" + lines);
  const fs::path table = folder / "order_lines.csv", ladder = folder / "best_shops.ladder.toml", out = folder / "out";
  if (!fs::exists(ladder)) {
    fs::create_directories(folder);
    run({LOFTY_GENERATOR, folder.string(), "--lines", lines}, out);
    fs::copy_file(fs::path(LOFTY_DEMO) / "best_shops.ladder.toml", ladder, fs::copy_options::overwrite_existing);
  }
  const std::vector<std::string> job = {LOFTY_TOOL, "rank", ladder.string()}, floor = {LOFTY_CSV_ONLY, table.string()},
                                 small = {LOFTY_TOOL, "rank", std::string(LOFTY_DEMO) + "/best_shops.ladder.toml"};

  // The answer first: two shops share the top, three share place 9, whatever the size.
  run(job, out);
  const std::string answer = slurp(out);
  if (answer.find(" 1=") == std::string::npos || answer.find(" 9=") == std::string::npos ||
      answer.find("tie-at-cut: 3 shops share place 9") == std::string::npos) {
    std::fprintf(stderr, "the answer is wrong:\n%s", answer.c_str());
    return 1;
  }
  run(floor, out);
  Figures ours, theirs, ratios, demo;
  long peak = 0;
  for (int i = 0; i < runs; ++i) {
    const Measured a = run(job, out), b = run(floor, out);
    ours.values.push_back(a.seconds);
    theirs.values.push_back(b.seconds);
    ratios.values.push_back(a.seconds / b.seconds);
    peak = std::max(peak, a.peak_kib);
  }
  for (int i = 0; i < 21; ++i) demo.values.push_back(run(small, out).seconds * 1000);
  const double rows = std::stod(lines);
  for (Figures* figures : {&ours, &theirs, &ratios, &demo}) figures->median();  // sorts, for the ranges
  std::printf("| job | median | range | ns a row | peak memory |\n|---|---|---|---|---|\n");
  std::printf("| best shops of %s lines, whole process | %.2f s | %.2f to %.2f s | %.0f | %ld MiB |\n", lines.c_str(),
              ours.median(), ours.values.front(), ours.values.back(), ours.median() * 1e9 / rows, peak / 1024);
  std::printf("| libcsv alone over the same file, all cores | %.2f s | %.2f to %.2f s | %.0f | |\n", theirs.median(),
              theirs.values.front(), theirs.values.back(), theirs.median() * 1e9 / rows);
  std::printf("| ratio, pair by pair | %.2f | %.2f to %.2f | | |\n", ratios.median(), ratios.values.front(),
              ratios.values.back());
  std::printf("| best shops of the demo data, whole process | %.1f ms | %.1f to %.1f ms | | |\n", demo.median(),
              demo.values.front(), demo.values.back());
  return 0;
}
