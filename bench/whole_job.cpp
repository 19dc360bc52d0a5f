// Whole processes over generated order lines, each held against its targets and against what people do without us: awk,
// GNU sort, and libcsv alone on all cores. Rounds go through all of them in turn, so that each ratio is of neighbours.
// Prints nanoseconds a row (median of the rounds), peak memory and ratios.
//   whole_job [LINES] [ROUNDS] [JOB ...]      jobs by the beginning of their names; all without

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

struct Job {
  std::string name;
  std::vector<std::string> command;
  double target = 0;         // ns a row; 0: none
  std::string held_against;  // the baseline or job that its ratio is of
  std::string wanted = {};   // what the ratio or the memory should be
  Figures seconds = {}, ratios = {};
  long peak_kib = 0;
};

// The same rows with every field in quotes, and as JSON lines.
void write_other_forms(const fs::path& table, const fs::path& quoted, const fs::path& json) {
  std::ifstream in(table);
  std::ofstream q(quoted), j(json);
  std::string line;
  std::getline(in, line);
  const auto fields_of = [](const std::string& text) {
    std::vector<std::string> out(1);
    for (const char c : text) {
      if (c == ',')
        out.emplace_back();
      else
        out.back() += c;
    }
    return out;
  };
  const std::vector<std::string> names = fields_of(line);
  q << line << '\n';
  while (std::getline(in, line)) {
    const std::vector<std::string> fields = fields_of(line);
    std::string as_quoted, as_json;
    for (std::size_t f = 0; f < fields.size(); ++f) {
      as_quoted += (f > 0 ? ",\"" : "\"") + fields[f] + "\"";
      const bool number = !fields[f].empty() && fields[f].find_first_not_of("0123456789.") == std::string::npos;
      as_json += (f > 0 ? ",\"" : "{\"") + names[f] + "\":" +
                 (fields[f].empty() ? "null"
                  : number          ? fields[f]
                                    : "\"" + fields[f] + "\"");
    }
    q << as_quoted << '\n';
    j << as_json << "}\n";
  }
}

// The generated files, once for each size.
fs::path folder_of(const std::string& lines) {
  const fs::path folder = fs::temp_directory_path() / ("lofty_bench_" + lines), whole = folder / "whole";
  if (fs::exists(whole)) return folder;
  fs::create_directories(folder);
  run({LOFTY_GENERATOR, folder.string(), "--lines", lines}, folder / "out");
  write_other_forms(folder / "order_lines.csv", folder / "quoted.csv", folder / "order_lines.jsonl");
  run({LOFTY_TOOL, "rank", (folder / "order_lines.csv").string(), "--order", "input", "--remarks", "none", "--to",
       (folder / "sales.sqlite").string() + "#order_lines"},
      folder / "out");
  for (const auto& one : fs::directory_iterator(LOFTY_DEMO))
    if (one.path().string().ends_with(".ladder.toml")) fs::copy_file(one.path(), folder / one.path().filename());
  for (const auto& [name, from] : {std::pair{"quoted", "quoted.csv"}, std::pair{"json", "order_lines.jsonl"},
                                   std::pair{"sqlite", "sales.sqlite#order_lines"}}) {
    std::string ladder = slurp(folder / "best_shops.ladder.toml");
    const std::string own = "order_lines.csv";
    ladder.replace(ladder.find(own), own.size(), from);
    std::ofstream(folder / (std::string(name) + ".ladder.toml")) << ladder;
  }
  std::ofstream(whole) << "\n";
  return folder;
}

std::vector<Job> jobs_over(const fs::path& folder) {
  const std::string table = (folder / "order_lines.csv").string(), quoted = (folder / "quoted.csv").string();
  const auto ladder = [&](const char* name) {
    return std::vector<std::string>{LOFTY_TOOL, "rank", (folder / (std::string(name) + ".ladder.toml")).string()};
  };
  const std::string one_level = "totals by shop";
  return {
      {"awk: sum of price times quantity by shop",
       {"/usr/bin/awk", "-F,", "NR > 1 { s[$4] += $6 * $7 } END { for (k in s) print k, s[k] }", table}},
      {"sort -t, -k4,4n -k7,7nr", {"/usr/bin/sort", "-t,", "-k4,4n", "-k7,7nr", table}},
      {"libcsv alone, all cores", {LOFTY_CSV_ONLY, table}},
      {"libcsv alone, fully quoted", {LOFTY_CSV_ONLY, quoted}},
      {one_level + ", join, distinct count, best 10", ladder("best_shops"), 55, "libcsv alone, all", "0.45"},
      {"the same, fully quoted", ladder("quoted"), 0, "libcsv alone, fully", "1.3"},
      {"best 10 single lines",
       {LOFTY_TOOL, "rank", table, "--figure", "amount=quantity*unit_price", "--by", "amount desc", "--tiebreak",
        "line_no", "--best", "10", "--cut", "strict"},
       100,
       one_level},
      {"all lines ranked within their shop, to csv",
       {LOFTY_TOOL, "rank", table, "--within", "shop_no", "--by", "unit_price desc", "--to", "csv"},
       230,
       "sort",
       "1/7"},
      {"inspect", {LOFTY_TOOL, "inspect", table}, 250, one_level, "300 MiB"},
      {"why of one shop",
       {LOFTY_TOOL, "why", (folder / "best_shops.ladder.toml").string(), "shop = 'Twin Pantry'"},
       70,
       one_level},
      {"totals from JSON lines", ladder("json"), 150, one_level},
      {"totals from SQLite", ladder("sqlite"), 900, one_level},
      {"three levels", ladder("valleys_shops_products"), 0, one_level, "1.6"},
      {"who moved, with other choices", ladder("who_moved"), 0, one_level, "1.4"},
      {"crossed", ladder("families_by_valley"), 0, one_level, "1.4"},
      {"three windows over lines, filtered", ladder("three_frames"), 0, one_level, "1.5"},
      {"each line against its family's average", ladder("against_family"), 0, one_level, "2.5"},
      {"sums and counts only",
       {LOFTY_TOOL, "rank", table, "--each", "shop_no", "--total", "spend=sum(quantity * unit_price)", "--total",
        "n=count(*)", "--by", "spend desc", "--best", "10"},
       0,
       one_level,
       "120 MiB"},
  };
}

}  // namespace

int main(int argc, char** argv) {
  const std::string lines = argc > 1 ? argv[1] : "10000000";
  const int rounds = argc > 2 ? std::atoi(argv[2]) : 3;
  const fs::path folder = folder_of(lines), out = folder / "out";
  std::vector<Job> jobs;
  for (Job& job : jobs_over(folder)) {
    bool chosen = argc <= 3;
    for (int i = 3; i < argc; ++i) chosen = chosen || job.name.starts_with(argv[i]);
    if (chosen) jobs.push_back(std::move(job));
  }

  // The answer first: two shops share the top, three share place 9, whatever the size.
  run({LOFTY_TOOL, "rank", (folder / "best_shops.ladder.toml").string()}, out);
  const std::string answer = slurp(out);
  if (answer.find(" 1=") == std::string::npos || answer.find(" 9=") == std::string::npos ||
      answer.find("tie-at-cut: 3 shops share place 9") == std::string::npos) {
    std::fprintf(stderr, "the answer is wrong:\n%s", answer.c_str());
    return 1;
  }

  // In turn.
  for (int round = 0; round < rounds; ++round) {
    for (Job& job : jobs) {
      const Measured took = run(job.command, out);
      job.seconds.values.push_back(took.seconds);
      job.peak_kib = std::max(job.peak_kib, took.peak_kib);
    }
    for (Job& job : jobs)
      for (const Job& other : jobs)
        if (!job.held_against.empty() && other.name.starts_with(job.held_against))
          job.ratios.values.push_back(job.seconds.values.back() / other.seconds.values.back());
  }
  const double rows = std::stod(lines);
  std::printf(
      "| job, %s lines | ns a row | target | peak memory | ratio | of | wanted |\n|---|---|---|---|---|---|---|\n",
      lines.c_str());
  for (Job& job : jobs) {
    std::printf("| %s | %.0f | ", job.name.c_str(), job.seconds.median() * 1e9 / rows);
    if (job.target > 0) std::printf("%.0f", job.target);
    std::printf(" | %ld MiB | ", job.peak_kib / 1024);
    if (!job.ratios.values.empty()) std::printf("%.2f | %s", job.ratios.median(), job.held_against.c_str());
    std::printf("%s | %s |\n", job.ratios.values.empty() ? " |" : "", job.wanted.c_str());
  }

  // And a small one.
  Figures demo;
  for (int i = 0; i < 21; ++i)
    demo.values.push_back(run({LOFTY_TOOL, "rank", std::string(LOFTY_DEMO) + "/best_shops.ladder.toml"}, out).seconds *
                          1000);
  std::printf("\nThe best shops of the demo data, whole process: %.1f ms (target 10).\n", demo.median());
  return 0;
}
