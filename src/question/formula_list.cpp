// Parsing named formulas, and finding them by name.

#include "question/formula_list.hpp"

#include "question/prose.hpp"
#include "table/folded.hpp"

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
  return e;
}

}  // namespace lofty::engine
