"use strict";
// Sorts by a column, numbers as numbers. The page reads the same without this.
for (const table of document.querySelectorAll("table.sortable")) {
  const heads = [...table.tHead.rows[0].cells];
  heads.forEach((head, column) => {
    const button = document.createElement("button");
    button.type = "button";
    button.textContent = head.textContent;
    head.replaceChildren(button);
    button.addEventListener("click", () => {
      const down = head.getAttribute("aria-sort") === "ascending";
      for (const other of heads) other.removeAttribute("aria-sort");
      head.setAttribute("aria-sort", down ? "descending" : "ascending");
      const text = row => row.cells[column].textContent.trim();
      const compare = (one, other) => {
        const [a, b] = [text(one), text(other)];
        const [x, y] = [Number(a), Number(b)];
        return a !== "" && b !== "" && !Number.isNaN(x) && !Number.isNaN(y) ? x - y : a.localeCompare(b, "en");
      };
      const rows = [...table.tBodies[0].rows].sort(compare);
      table.tBodies[0].append(...(down ? rows.reverse() : rows));
    });
  });
}
for (const table of document.querySelectorAll("table.searchable")) {
  const label = document.createElement("label");
  label.className = "search";
  const input = document.createElement("input");
  input.type = "search";
  label.append("Show rows with", input);
  table.parentElement.before(label);
  input.addEventListener("input", () => {
    const wanted = input.value.toLowerCase();
    for (const row of table.tBodies[0].rows) row.hidden = !row.textContent.toLowerCase().includes(wanted);
  });
}
// The reason of each cell, which is written once.
for (const cell of document.querySelectorAll("[data-why]")) {
  const why = document.getElementById("why-" + cell.dataset.why);
  if (why) cell.title = why.textContent;
}
