// Parsing named formulas, and finding them by name.

#include "question/formula_list.hpp"

#include "base/folded.hpp"
#include "question/prose.hpp"

namespace lofty::engine {

FormulaList::FormulaList(const std::vector<NamedFormula>& formulas, const std::string& prefix, ProblemList& problems) {
  for (const NamedFormula& formula : formulas) {
    ParsedFormula parsed;
    parsed.formula = &formula;
    parsed.origin = std::make_shared<Origin>(Origin{prefix + formula.name, formula.formula});
    try {
      parsed.expression = parse_expression(formula.formula);
    } catch (const Error& error) {
      problems.add(error, prefix + formula.name);
    }
    all_.push_back(std::move(parsed));
  }
}

ParsedFormula* FormulaList::find(const Expression& name) {
  if (!name.qualifier.empty()) return nullptr;
  for (ParsedFormula& parsed : all_)
    if (parsed.formula->name == name.text) return &parsed;
  if (!name.quoted)
    for (ParsedFormula& parsed : all_)
      if (equal_folded(parsed.formula->name, name.text)) return &parsed;
  return nullptr;
}

Expression name_expression(const std::string& name) {
  Expression e;
  e.op = Op::name;
  e.text = name;
  e.end = name.size();
  if (name.size() < 3 || name.front() != '"' || name.back() != '"') return e;
  // As formulas quote it: doubled quotes are one.
  e.quoted = true;
  e.text.clear();
  for (std::size_t i = 1; i + 1 < name.size(); ++i) {
    e.text += name[i];
    if (name[i] == '"' && i + 2 < name.size() && name[i + 1] == '"') ++i;
  }
  return e;
}

}  // namespace lofty::engine
