// Ladder -> TOML, with keys in the order in which people read them.
#include "lofty/ladder_file.hpp"
#include "base/passwords.hpp"
#include "question/prose.hpp"

namespace lofty {
namespace {

std::string quoted(const std::string& text) { return engine::toml_text(text); }
std::string key(const std::string& name) { return engine::toml_key(name); }

std::string list(const std::vector<std::string>& texts) {
  std::string out = "[";
  for (std::size_t i = 0; i < texts.size(); ++i) out += (i > 0 ? ", " : "") + quoted(texts[i]);
  return out + "]";
}

std::string value_text(const Value& value) {
  if (const auto* text = std::get_if<std::string>(&value)) return quoted(*text);
  if (const auto* number = std::get_if<double>(&value)) {
    std::string text = to_text(*number);
    if (text.find_first_of(".e") == std::string::npos) text += ".0e0";
    if (text.find('e') == std::string::npos) text += "e0";
    return text;
  }
  std::string text = to_text(value);
  if (std::holds_alternative<Timestamp>(value)) text[10] = 'T';
  return text;
}

class Writer {
 public:
  std::string write(const Ladder& ladder) {
    if (!ladder.title.empty()) line("title", quoted(ladder.title));
    section("data");
    data(ladder.data);
    if (!ladder.choices.empty()) section("choices");
    for (const Choice& choice : ladder.choices) line(key(choice.name), choice_text(choice));
    formulas("figures", ladder.figures);
    formulas("named_windows", ladder.named_windows);

    // Conditions, totals and levels.
    if (!ladder.where.empty()) {
      section("rows");
      line("where", quoted(ladder.where));
    }
    formulas("totals", ladder.totals);
    for (const Level& level : ladder.levels) rank(level, ladder.levels.size() > 1);
    formulas("alternatives", ladder.alternatives);
    crossed(ladder.crossed);
    compare(ladder.compare);

    // The list, orders and periods.
    listing(ladder.list);
    orderings(ladder.orderings);
    if (ladder.first_month != 1) {
      section("calendar");
      line("first_month", std::to_string(ladder.first_month));
    }
    for (const Period& period : ladder.periods) {
      section("periods." + key(period.name));
      for (const auto& [name, value] :
           {std::pair{"on", &period.on}, std::pair{"last", &period.last}, std::pair{"ends", &period.ends},
            std::pair{"from", &period.from}, std::pair{"through", &period.through}})
        if (!value->empty()) line(name, quoted(*value));
      if (period.unit) line("unit", quoted(to_string(*period.unit)));
      if (period.whole) line("whole", "true");
      if (!period.back.empty()) line("back", quoted(period.back));
    }
    return out_;
  }

 private:
  void line(const std::string& name, const std::string& value) { out_ += name + " = " + value + "\n"; }
  void section(const std::string& name) { out_ += (out_.empty() ? "[" : "\n[") + name + "]\n"; }

  void read_options(const ReadOptions& read) {
    if (!read.nulls.empty()) line("nulls", list(read.nulls));
    if (!read.header.empty()) line("header", list(read.header));
    if (read.delimiter != 0) line("delimiter", quoted(std::string(1, read.delimiter)));
    if (read.ragged_as_null) line("ragged", "\"null\"");
    if (read.skip > 0) line("skip", std::to_string(read.skip));
    if (read.skip_last > 0) line("skip_last", std::to_string(read.skip_last));
    if (!read.encoding.empty()) line("encoding", quoted(read.encoding));
    if (!read.order.empty()) line("order", list(read.order));
    for (const auto& column : read.columns) {
      if (column.type) line("columns." + key(column.column) + ".type", quoted(to_string(*column.type)));
      if (!column.written.empty())
        line("columns." + key(column.column) + ".written",
             column.written.size() == 1 ? quoted(column.written.front()) : list(column.written));
    }
  }

  static std::string tables(const std::string& first, const ReadOptions& read) {
    if (read.more.empty()) return quoted(engine::without_password(first));
    std::vector<std::string> all{first};
    all.insert(all.end(), read.more.begin(), read.more.end());
    return list(all);
  }

  void data(const Data& data) {
    line("from", tables(data.from, data.read));
    if (!data.read.file_column.empty()) line("file_column", quoted(data.read.file_column));
    if (!data.as.empty()) line("as", quoted(data.as));
    if (!data.locale.empty()) line("locale", quoted(data.locale));
    if (!data.zone.empty()) line("zone", quoted(data.zone));
    read_options(data.read);
    for (const Join& join : data.joins) {
      out_ += "\n[[data.join]]\n";
      line("with", tables(join.with, join.read));
      if (!join.as.empty()) line("as", quoted(join.as));
      line("on", list(join.on));
      if (join.type != JoinType::left) line("type", quoted(to_string(join.type)));
      if (join.many) line("many", "true");
      read_options(join.read);
    }
  }

  static std::string choice_text(const Choice& choice) {
    const bool plain = choice.label.empty() && choice.unit.empty() && is_null(choice.least) && is_null(choice.most) &&
                       choice.among.empty();
    if (plain) return value_text(choice.value);
    std::string out = "{ value = " + value_text(choice.value);
    if (!choice.label.empty()) out += ", label = " + quoted(choice.label);
    if (!choice.unit.empty()) out += ", unit = " + quoted(choice.unit);
    if (!is_null(choice.least)) out += ", least = " + value_text(choice.least);
    if (!is_null(choice.most)) out += ", most = " + value_text(choice.most);
    if (!choice.among.empty()) {
      out += ", among = [";
      for (std::size_t i = 0; i < choice.among.size(); ++i) out += (i > 0 ? ", " : "") + value_text(choice.among[i]);
      out += "]";
    }
    return out + " }";
  }

  void formulas(const std::string& name, const std::vector<NamedFormula>& list_of) {
    if (list_of.empty()) return;
    section(name);
    for (const NamedFormula& formula : list_of) line(key(formula.name), quoted(formula.formula));
  }

  static std::string also_text(const Also& also) {
    switch (also.measure) {
      case Measure::tiers: return "{ tiers = " + std::to_string(also.count) + " }";
      case Measure::share: return "{ share = " + quoted(also.of) + " }";
      case Measure::running_share: return "{ running_share = " + quoted(also.of) + " }";
      case Measure::percent_rank: return "{ percent_rank = true }";
      case Measure::cumulative_distribution: return "{ cumulative_distribution = true }";
      default: break;
    }
    if (also.by.empty()) return quoted(to_string(also.ties));
    return "{ by = " + quoted(also.by) +
           (also.ties == Ties::competition ? "" : ", ties = " + quoted(to_string(also.ties))) + " }";
  }

  static std::string values(const std::vector<Value>& of) {
    std::string out = "[";
    for (std::size_t i = 0; i < of.size(); ++i) out += (i > 0 ? ", " : "") + value_text(of[i]);
    return out + "]";
  }

  void orderings(const std::vector<Ordering>& list_of) {
    for (const Ordering& one : list_of) {
      section("orderings." + key(one.column));
      if (!one.first.empty()) line("first", values(one.first));
      if (!one.last.empty()) line("last", values(one.last));
      if (!one.sequence.empty()) line("sequence", values(one.sequence));
      if (one.text != TextOrder::language)
        line("text", one.text == TextOrder::natural ? "\"natural\"" : "\"code point\"");
    }
  }

  void rank(const Level& level, bool nested) {
    if (nested)
      out_ += "\n[[level]]\n";
    else
      section("rank");
    if (!level.each.empty()) line("each", list(level.each));
    if (!level.within.empty()) line("within", list(level.within));
    if (!level.include.empty()) line("include", quoted(level.include));
    if (level.fill) line("fill", quoted(to_string(*level.fill)));
    if (!level.by.empty()) line("by", quoted(level.by));
    if (!level.tiebreak.empty()) line("tiebreak", quoted(level.tiebreak));
    if (level.ties != Ties::competition) line("ties", quoted(to_string(level.ties)));
    if (!level.also.empty()) {
      std::string also = "{ ";
      for (std::size_t i = 0; i < level.also.size(); ++i)
        also += (i > 0 ? ", " : "") + key(level.also[i].name) + " = " + also_text(level.also[i]);
      line("also", also + " }");
    }
    if (!level.having.empty()) line("having", quoted(level.having));
    if (!level.eligible.empty()) line("eligible", quoted(level.eligible));
    if (!level.rank_as.empty()) line("rank_as", quoted(level.rank_as));
    if (!level.windows.empty() && nested) {
      std::string windows = "{ ";
      for (std::size_t i = 0; i < level.windows.size(); ++i)
        windows += (i > 0 ? ", " : "") + key(level.windows[i].name) + " = " + quoted(level.windows[i].formula);
      line("windows", windows + " }");
    }
    if (!nested) formulas("windows", level.windows);

    // What is kept.
    if (!level.cuts() && level.cut == Cut::with_ties && level.where.empty() && !level.unranked && !level.others) return;
    if (!nested) section("keep");
    if (level.best) line("best", std::to_string(*level.best));
    if (level.worst) line("worst", std::to_string(*level.worst));
    if (level.best_percent) line("best", quoted(level.best_percent->text() + " %"));
    if (level.worst_percent) line("worst", quoted(level.worst_percent->text() + " %"));
    if (level.cut == Cut::strict) line("cut", "\"strict\"");
    if (!level.where.empty()) line("where", quoted(level.where));
    if (level.unranked) line("unranked", "true");
    if (level.others) line("others", "true");
  }

  void crossed(const Crossed& of) {
    if (of.empty()) return;
    section("crossed");
    if (!of.each.empty()) line("each", list(of.each));
    if (!of.by.empty()) line("by", quoted(of.by));
    if (!of.cell.empty()) line("cell", quoted(of.cell));
    if (of.best) line("best", std::to_string(*of.best));
  }

  void compare(const Compare& of) {
    if (of.empty()) return;
    section("compare");
    if (!of.with.empty()) line("with", quoted(of.with));
    if (!of.period.empty()) line("period", quoted(of.period));
    if (of.choose.empty()) return;
    std::string choose = "{ ";
    for (std::size_t i = 0; i < of.choose.size(); ++i)
      choose += (i > 0 ? ", " : "") + key(of.choose[i].first) + " = " + value_text(of.choose[i].second);
    line("choose", choose + " }");
  }

  void listing(const Listing& of) {
    if (of.order.empty() && of.columns.empty() && of.headings.empty() && of.alternative.empty() && !of.first &&
        !of.last && !of.sample && of.seed == 1 && !of.hide_blank_groups && of.formats.empty() && of.bars.empty())
      return;
    section("list");
    if (!of.order.empty()) line("order", quoted(of.order));
    if (!of.alternative.empty()) line("alternative", quoted(of.alternative));
    if (of.hide_blank_groups) line("blank_group", "\"hide\"");
    if (of.first) line("first", std::to_string(*of.first));
    if (of.last) line("last", std::to_string(*of.last));
    if (of.sample) line("sample", std::to_string(*of.sample));
    if (of.seed != 1) line("seed", std::to_string(of.seed));
    if (!of.columns.empty()) line("columns", list(of.columns));
    if (!of.bars.empty()) line("bars", list(of.bars));
    texts_by_column("headings", of.headings);
    texts_by_column("formats", of.formats);
  }

  void texts_by_column(const std::string& name, const std::vector<std::pair<std::string, std::string>>& texts) {
    if (texts.empty()) return;
    std::string all = "{ ";
    for (std::size_t i = 0; i < texts.size(); ++i)
      all += (i > 0 ? ", " : "") + key(texts[i].first) + " = " + quoted(texts[i].second);
    line(name, all + " }");
  }

  std::string out_;
};

}  // namespace

std::string ladder_text(const Ladder& ladder) { return Writer().write(ladder); }

}  // namespace lofty
