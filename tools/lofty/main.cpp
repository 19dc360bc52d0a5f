// The command line: options in, exit status out. 0 done; 1 the data would not do; 2 the call or the ladder was wrong.

#include <unicode/uclean.h>
#include <unistd.h>

#include <algorithm>
#include <csignal>
#include <cstdio>
#include <cstdlib>
#include <exception>
#include <new>
#include <string>
#include <string_view>
#include <vector>

#include "app.hpp"
#include "calls.hpp"
#include "lofty/lofty.hpp"
#include "progress.hpp"
#include "settings.hpp"
#include "terminal.hpp"

namespace {

using lofty::Code;
using lofty::Error;
using lofty::Problem;

[[noreturn]] void wrong_call(std::string sentence, const std::string& word, const std::vector<std::string>& known,
                             std::string advice) {
  throw Error(Problem{Code::unknown_word,
                      std::move(sentence),
                      {},
                      word.empty() ? std::string() : lofty::nearest_word(word, known),
                      std::move(advice)});
}

// Words that no option took.
void refuse_leftovers(const CLI::App& command) {
  const std::vector<std::string> left = command.remaining();
  if (left.empty()) return;
  std::vector<std::string> options;
  for (const CLI::Option* option : command.get_options())
    if (!option->get_name().empty() && option->get_name()[0] == '-') options.push_back(option->get_name());
  const std::string word = left.front().substr(0, left.front().find('='));
  if (const auto now = tool::current_option(word);
      now && std::find(options.begin(), options.end(), *now) != options.end())
    throw Error(Problem{Code::retired_name, "`" + word + "` is now `" + *now + "`", {}, {}, {}});
  if (word.starts_with("-"))
    wrong_call("`lofty " + command.get_name() + "` has no option `" + word + "`", word, options,
               "lofty " + command.get_name() + " --help");
  wrong_call("`" + word + "` is one word too many for `lofty " + command.get_name() + "`", {}, {},
             "lofty " + command.get_name() + " --help");
}

// Options that change a question do not say which of several ladders they are for.
void refuse_for_several(const CLI::App& command) {
  static const std::vector<std::string> fitting = {
      "--to",     "--replace", "--remarks",     "--threads",  "--memory",    "--spill-to", "--only-under",
      "--choose", "--picture", "--no-pictures", "--workings", "--page-rows", "--title"};
  for (const CLI::Option* option : command.get_options()) {
    const std::string name = option->get_name();
    if (option->count() == 0 || !name.starts_with("--") ||
        std::find(fitting.begin(), fitting.end(), name) != fitting.end())
      continue;
    throw Error(Problem{Code::bad_value,
                        "`" + name + "` does not say which of several ladders it is for",
                        {},
                        {},
                        "change it in the ladders' files"});
  }
}

// `-` is standard input; and resources are what the settings say, where no option does.
void take_standard_input(tool::CommandLine& options) {
  const auto take = [](std::string& name) {
    if (name == "-") name = tool::standard_input;
  };
  for (auto* names : {&options.inspect.tables, &options.rank.sources, &options.check.ladders})
    for (std::string& name : *names) take(name);
  for (std::string* name : {&options.why.ladder, &options.cost.ladder, &options.draw.ladder, &options.translate.ladder})
    take(*name);
  if (options.rank.to == "-") options.rank.to = "csv";
  for (tool::Resources* own : {&options.inspect.resources, &options.rank.resources, &options.why.resources,
                               &options.cost.resources, &options.draw.resources}) {
    const tool::Resources& usual = tool::settings().resources;
    if (own->threads == 0) own->threads = usual.threads;
    if (own->memory == 0) own->memory = usual.memory;
    if (own->spill_to.empty()) own->spill_to = usual.spill_to;
  }
}

int run(int argc, char** argv) {
  tool::CommandLine options;
  const std::unique_ptr<CLI::App> made = tool::make_app(options);
  CLI::App& app = *made;
  try {
    app.parse(argc, argv);
  } catch (const CLI::CallForHelp& help) {
    const auto chosen = app.get_subcommands();
    tool::print((chosen.empty() ? &app : chosen.front())->help());
    return 0;
  } catch (const CLI::CallForVersion&) {
    tool::print(tool::version_text());
    return 0;
  } catch (const CLI::ParseError& error) {
    const auto chosen = app.get_subcommands();
    if (!chosen.empty()) refuse_leftovers(*chosen.front());
    std::string sentence = error.what();
    if (!sentence.empty() && sentence.back() == '.') sentence.pop_back();
    wrong_call(sentence, {}, {},
               "lofty " + (chosen.empty() ? std::string() : chosen.front()->get_name() + " ") + "--help");
  }
  tool::load_settings();
  take_standard_input(options);
  const auto chosen = app.get_subcommands();
  if (chosen.empty()) {
    const std::vector<std::string> left = app.remaining();
    if (left.empty()) {
      tool::print(app.help());
      return 0;
    }
    std::vector<std::string> names;
    for (const CLI::App* command : app.get_subcommands([](const CLI::App*) { return true; }))
      names.push_back(command->get_name());
    wrong_call("lofty has no command `" + left.front() + "`", left.front(), names, "lofty --help lists them");
  }
  refuse_leftovers(*chosen.front());
  const std::string name = chosen.front()->get_name();
  if (name == "inspect") return tool::inspect(options.inspect);
  if (name == "rank") {
    const std::vector<std::string>& sources = options.rank.sources;
    if (sources.size() > 1 && std::any_of(sources.begin(), sources.end(), tool::is_ladder))
      refuse_for_several(*chosen.front());
    return tool::rank(options.rank);
  }
  if (name == "why") return tool::why(options.why);
  if (name == "draw") return tool::draw(options.draw);
  if (name == "cost") return tool::cost(options.cost);
  if (name == "functions") return tool::functions(options.function_word);
  if (name == "translate") return tool::translate(options.translate);
  if (name == "check") return tool::check(options.check);
  return tool::demo(options.demo);
}

}  // namespace

// A signal that ends the process removes what is half written first. A signal that is ignored stays so (nohup).
void end_tidily(int signal) {
  lofty::remove_unfinished_files();
  tool::clear_progress();
  std::signal(signal, SIG_DFL);
  ::raise(signal);
}

[[noreturn]] void end_at_once(std::string_view words) noexcept {
  lofty::remove_unfinished_files();
  if (::write(STDERR_FILENO, words.data(), words.size()) < 0) ::_exit(1);
  ::_exit(1);
}

// Without memory the process ends here, rather than in a library that does not look whether it got any, or that
// promises not to throw. Allocates nothing.
[[noreturn]] void end_without_memory() noexcept { end_at_once("lofty: the machine has not enough memory for this\n"); }
[[noreturn]] void end_terminated() noexcept {
  end_at_once("lofty: ended, most likely because the machine has not enough memory for this\n");
}

// In force before any library of the process is set up: these allocate, too.
void handle_failures(int /*count*/, char** /*arguments*/, char** /*environment*/) {
  std::set_new_handler(end_without_memory);
  std::set_terminate(end_terminated);
}
__attribute__((section(".preinit_array"), used)) void (*const before_everything)(int, char**, char**) = handle_failures;

// ICU does not look whether it got any memory, or goes on to wait for what was never set up.
void* allocate_for_icu(const void* /*context*/, std::size_t size) {
  if (void* const data = std::malloc(size)) return data;  // NOLINT: ICU frees it by the function below
  end_without_memory();
}
void* reallocate_for_icu(const void* /*context*/, void* old, std::size_t size) {
  if (void* const data = std::realloc(old, size)) return data;  // NOLINT
  end_without_memory();
}
void free_for_icu(const void* /*context*/, void* data) { std::free(data); }  // NOLINT

int main(int argc, char** argv) {
  UErrorCode status = U_ZERO_ERROR;
  u_setMemoryFunctions(nullptr, allocate_for_icu, reallocate_for_icu, free_for_icu, &status);
  for (const int signal : {SIGINT, SIGTERM, SIGHUP, SIGPIPE, SIGQUIT, SIGXCPU})
    if (std::signal(signal, end_tidily) == SIG_IGN) std::signal(signal, SIG_IGN);
  std::signal(SIGXFSZ, SIG_IGN);  // a file that would become too large is an error of the write
  try {
    return run(argc, argv);
  } catch (const Error& error) {
    std::vector<Problem> problems = error.problems();
    for (Problem& one : problems) {
      one.advice = tool::with_options(std::move(one.advice));
      if (one.location.key == "choose") one.location.key = "--choose";
    }
    tool::remark("lofty: " + lofty::problems_text(problems, tool::looks_of_errors()));
    return error.data_fault() ? 1 : 2;
  } catch (const std::bad_alloc&) {
    tool::remark("lofty: the machine has not enough memory for this\n");
    return 1;
  } catch (const std::exception& error) {
    tool::remark(std::string("lofty: ") + error.what() + "\n");
    return 1;
  }
}
