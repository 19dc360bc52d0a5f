"use strict";
// Each row carries its columns' codes: whole numbers that compare as the values do, 0 for none. So the page orders as the
// engine does, and never reads a number or a date again.
for (const article of document.querySelectorAll("article")) {
  const table = article.querySelector(".standings");
  const heads = [...table.tHead.rows[0].cells];
  const state = article.querySelector(".state");
  const given = article.querySelector(".given");
  const filter = article.querySelector(".filter");
  const plain = text => text.normalize("NFD").replace(/\p{M}/gu, "").toLowerCase();

  // The rows of each body as trees: an entry, what is inside it, and the lines for the rest.
  const all = [];
  const bodies = [...table.tBodies].map(body => {
    const top = { inside: [], lines: [] };
    const open = [top];
    let note = null;
    for (const row of body.rows) {
      const level = Number(row.dataset.level || 0);
      if (!row.dataset.codes) {
        // A note is about the row after it; a line for the rest is listed after the entries of its level.
        if (row.classList.contains("note")) { note = row; continue; }
        (open[Math.min(level, open.length - 1)] || top).lines.push(row);
        continue;
      }
      const entry = { row, level, codes: row.dataset.codes.split(" ").map(Number), given: all.length, inside: [], lines: [], closed: false, text: null, note };
      note = null;
      all.push(entry);
      open.length = level + 1;
      open[level].inside.push(entry);
      open.push(entry);
    }
    return { body, top };
  });

  const say = text => { state.textContent = text; };
  const count = () => {
    const shown = all.filter(entry => !entry.row.hidden).length;
    return shown === all.length ? "" : shown.toLocaleString("en") + " of " + all.length.toLocaleString("en") + " rows";
  };

  // Large tables are cut into bodies of some rows, which the browser lays out only where they are seen: moving all rows takes
  // a fraction of the time. Columns keep the widths that they had.
  const large = all.length > 500;
  const chunks = new Map();
  function fill(body, rows) {
    if (!large) {
      body.replaceChildren(...rows);
      return;
    }
    const size = 100;
    const parts = chunks.get(body) || [body];
    chunks.set(body, parts);
    for (let at = 0, part = 0; at < rows.length; at += size, ++part) {
      if (part === parts.length) {
        parts.push(document.createElement("tbody"));
        parts[part].className = "more";
        parts[part].setAttribute("role", "rowgroup");
        parts[part - 1].after(parts[part]);
      }
      parts[part].replaceChildren(...rows.slice(at, at + size));
    }
  }

  // Ties keep the given order; rows without a value are last in either direction.
  let by = -1, down = false;
  function reorder() {
    const compare = (a, b) => {
      if (by >= 0) {
        const x = a.codes[by], y = b.codes[by];
        if (x !== y) return x === 0 ? 1 : y === 0 ? -1 : down ? y - x : x - y;
      }
      return a.given - b.given;
    };
    for (const { body, top } of bodies) {
      const rows = [];
      const add = entry => {
        for (const one of entry.inside.slice().sort(compare)) {
          if (one.note && by < 0) rows.push(one.note);
          rows.push(one.row);
          add(one);
        }
        rows.push(...entry.lines);
      };
      add(top);
      fill(body, rows);
    }
    heads.forEach((head, column) => {
      if (by < 0 ? head.dataset.given : column === by) head.setAttribute("aria-sort", by < 0 ? head.dataset.given : down ? "descending" : "ascending");
      else head.removeAttribute("aria-sort");
    });
    given.disabled = by < 0;
  }

  heads.forEach((head, column) => {
    const button = document.createElement("button");
    button.type = "button";
    button.append(...head.childNodes);
    head.append(button);
    button.addEventListener("click", () => {
      if (by === column) down = !down;
      else { by = column; down = head.classList.contains("number") && column > 0; }
      reorder();
      say("by " + head.textContent + ", " + (down ? "highest first" : "lowest first"));
    });
  });
  given.addEventListener("click", () => {
    by = -1;
    reorder();
    say("in the given order");
    heads[0].querySelector("button").focus();
  });

  // A row is shown where it matches, where something inside it does, or where it is inside one that does.
  function show() {
    const wanted = plain(filter.value.trim());
    const visit = (entry, above, closed) => {
      entry.text ??= plain(entry.row.textContent);
      const matches = above || entry.text.includes(wanted);
      let within = false;
      for (const one of entry.inside) within = visit(one, matches, closed || (entry.closed && !wanted)) || within;
      entry.row.hidden = closed || !(matches || within);
      if (entry.note) entry.note.hidden = wanted !== "";
      for (const line of entry.lines) line.hidden = wanted !== "" || closed || entry.closed;
      return matches || within;
    };
    for (const { top } of bodies) {
      for (const entry of top.inside) visit(entry, wanted === "", false);
      for (const line of top.lines) line.hidden = wanted !== "";
    }
    for (const { body, top } of bodies) if (!large) body.hidden = wanted !== "" && top.inside.every(entry => entry.row.hidden);
    say(count() + (wanted && all.every(entry => entry.row.hidden) ? ": nothing matches" : ""));
  }
  filter.addEventListener("input", show);

  // Levels open and close.
  for (const entry of all) {
    if (entry.inside.length === 0) continue;
    const toggle = document.createElement("button");
    toggle.type = "button";
    toggle.className = "toggle";
    const name = entry.row.querySelector("th") || entry.row.cells[0];
    toggle.setAttribute("aria-expanded", "true");
    toggle.setAttribute("aria-label", "What is inside " + name.textContent);
    name.prepend(toggle);
    entry.set = closed => {
      entry.closed = closed;
      toggle.setAttribute("aria-expanded", String(!closed));
    };
    toggle.addEventListener("click", () => { entry.set(!entry.closed); show(); });
  }
  const set_all = closed => { for (const entry of all) if (entry.set) entry.set(closed); show(); };
  article.querySelector(".close-all")?.addEventListener("click", () => set_all(true));
  article.querySelector(".open-all")?.addEventListener("click", () => set_all(false));

  if (large) {
    const widths = heads.map(head => Math.ceil(head.getBoundingClientRect().width) + "px").join(" ");
    // As blocks these elements would no longer be a table to a screen reader unless they say so.
    table.setAttribute("role", "table");
    table.tHead.setAttribute("role", "rowgroup");
    for (const { body } of bodies) body.setAttribute("role", "rowgroup");
    for (const row of table.rows) {
      row.setAttribute("role", "row");
      for (const cell of row.cells) cell.setAttribute("role", cell.tagName === "TD" ? "cell" : row.parentElement === table.tHead ? "columnheader" : "rowheader");
    }
    table.style.setProperty("--columns", widths);
    table.classList.add("large");
    reorder();
  }
  article.querySelector(".controls").hidden = false;
}
addEventListener("beforeprint", () => { for (const one of document.querySelectorAll(".account")) one.open = true; });
