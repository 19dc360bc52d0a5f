#!/usr/bin/env python3
"""Every public function is in the shared library: hidden ones can be compiled against, but not linked.

usage: public_symbols.py STATIC_LIBRARY... SHARED_LIBRARY

The static libraries hold all functions. Of these, the ones that a public header declares are in namespace lofty itself;
namespaces inside it (engine, report) are the library's own, and so are its test-only and unnamed ones.
"""
import glob
import re
import subprocess
import sys


def symbols(file, kinds, *options):
    out = subprocess.run(["nm", "--defined-only", *options, file], capture_output=True, text=True, check=True).stdout
    return {line.split()[-1] for line in out.splitlines() if len(line.split()) == 3 and line.split()[1] in kinds}


def demangled(names):
    names = sorted(names)
    out = subprocess.run(["c++filt"], input="\n".join(names), capture_output=True, text=True, check=True).stdout
    return dict(zip(names, out.splitlines()))


def base_of(name):
    """lofty::operator<=>(lofty::Decimal const&, ...) -> operator<=>; lofty::Table::rows() const -> rows"""
    found = re.search(r"(operator[^\w\s]+|~?\w+)(?:\[abi:\w+\])?(?:<.*>)?\(", name)
    return found.group(1) if found else name


# Inline ones (weak) are compiled into the program that calls them.
static = set().union(*(symbols(file, "T") for file in sys.argv[1:-1]))
shared = symbols(sys.argv[-1], "TW", "-D")
public = re.compile(r"^(?:[\w:<>*&, ]+ )?lofty::(?!engine::|report::|\(anonymous)")
private = re.compile(r"lofty::(engine|report)::|\(anonymous namespace\)|\[clone|\[abi:|::~?Data\(|::Data::|std::.*lofty::")
declared = "".join(open(header).read() for header in glob.glob("include/lofty/*.hpp"))
missing = [name for name in demangled(static - shared).values()
           if public.search(name) and not private.search(name) and base_of(name) in declared]
checked = [name for name in demangled(static & shared).values() if public.search(name)]
for name in missing:
    print("hidden:", name)
print(f"{len(checked)} public functions are in the shared library, {len(missing)} are hidden")
sys.exit(1 if missing or len(checked) < 200 else 0)
