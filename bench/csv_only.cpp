// The floor for reading delimited text with libcsv: all cores, callbacks that only count. Prints fields and rows.
//   csv_only FILE [THREADS]

#include <csv.h>
#include <fcntl.h>
#include <unistd.h>

#include <atomic>
#include <cstdio>
#include <cstdlib>
#include <cstring>
#include <mutex>
#include <thread>
#include <vector>

namespace {

struct Counts {
  std::size_t fields = 0, rows = 0;
  static void on_field(void*, std::size_t, void* to) { ++static_cast<Counts*>(to)->fields; }
  static void on_row(int, void* to) { ++static_cast<Counts*>(to)->rows; }
};

constexpr std::size_t chunk_bytes = 4 * 1024 * 1024;

}  // namespace

int main(int argc, char** argv) {
  if (argc < 2) return 2;
  const int file = ::open(argv[1], O_RDONLY);
  if (file < 0) return 2;
  const unsigned threads = argc > 2 ? static_cast<unsigned>(std::atoi(argv[2])) : std::thread::hardware_concurrency();
  std::mutex mutex;
  off_t next = 0;
  std::vector<char> carry;
  std::atomic<std::size_t> fields{0}, rows{0};
  const auto work = [&] {
    Counts counts;
    csv_parser parser;
    csv_init(&parser, CSV_STRICT | CSV_STRICT_FINI | CSV_EMPTY_IS_NULL);
    csv_set_space_func(&parser, [](unsigned char) { return 0; });
    std::vector<char> text;
    for (;;) {
      {
        const std::scoped_lock lock(mutex);
        text.swap(carry);
        carry.clear();
        const std::size_t before = text.size();
        text.resize(before + chunk_bytes);
        const ssize_t n = ::pread(file, text.data() + before, chunk_bytes, next);
        text.resize(before + static_cast<std::size_t>(n > 0 ? n : 0));
        next += n > 0 ? n : 0;
        if (text.empty()) break;
        if (n == static_cast<ssize_t>(chunk_bytes)) {
          const char* const end = static_cast<const char*>(::memrchr(text.data(), '\n', text.size())) + 1;
          carry.assign(end, static_cast<const char*>(text.data() + text.size()));
          text.resize(static_cast<std::size_t>(end - text.data()));
        }
      }
      csv_parse(&parser, text.data(), text.size(), Counts::on_field, Counts::on_row, &counts);
    }
    csv_fini(&parser, Counts::on_field, Counts::on_row, &counts);
    csv_free(&parser);
    fields += counts.fields;
    rows += counts.rows;
  };
  std::vector<std::thread> helpers;
  for (unsigned i = 1; i < threads; ++i) helpers.emplace_back(work);
  work();
  for (std::thread& helper : helpers) helper.join();
  std::printf("%zu rows, %zu fields\n", rows.load(), fields.load());
  return 0;
}
