"use strict";
// Sorting by click, for tables and for the list of levels; and all that is folded unfolds for print.
(() => {
  const value = (text) => {
    const plain = text.trim().replace(/−/g, "-").replace(/,/g, "");
    const clock = plain.match(/^(?:(\d+):)?(\d+):(\d\d) (?:min|h)/);
    if (clock) return Number(clock[1] || 0) * 3600 + Number(clock[2]) * 60 + Number(clock[3]);
    const number = plain.match(/^[<>|]?\s*(-?\d+(?:\.\d+)?(?:e[-+]?\d+)?)/);
    return number ? Number(number[1]) : null;
  };
  const compare = (a, b) => {
    const [x, y] = [value(a), value(b)];
    if (x !== null && y !== null) return x - y;
    if ((x === null) !== (y === null)) return x === null ? 1 : -1;
    return a.localeCompare(b);
  };
  const sortable = (heads, rows, cell, place) => {
    heads.forEach((head, column) => {
      const button = document.createElement("button");
      button.type = "button";
      button.append(...head.childNodes);
      head.append(button);
      button.addEventListener("click", () => {
        const down = head.getAttribute("aria-sort") === "ascending";
        heads.forEach((other) => other.removeAttribute("aria-sort"));
        head.setAttribute("aria-sort", down ? "descending" : "ascending");
        const sorted = [...rows()].sort((a, b) => compare(cell(a, column), cell(b, column)) * (down ? -1 : 1));
        place(sorted);
      });
    });
  };
  for (const table of document.querySelectorAll("table.sortable")) {
    const body = table.tBodies[0];
    sortable([...table.tHead.rows[0].cells], () => body.rows, (row, n) => row.cells[n].textContent, (rows) => body.append(...rows));
  }
  const list = document.querySelector(".levels");
  sortable(
    [...list.querySelectorAll(".level-head span")],
    () => list.querySelectorAll(":scope > details"),
    (level, n) => level.querySelector("summary").children[n].textContent,
    (levels) => list.append(...levels),
  );
  // Finding levels by name, chapter and verdict; a link to a level unfolds it, and shows it again where it was not found.
  const all = [...list.querySelectorAll(":scope > details")];
  const [name, chapter, kind, found] = ["find-name", "find-chapter", "find-kind", "found"].map((id) => document.getElementById(id));
  const fits = (level) => {
    const wanted = kind.value;
    const told = level.dataset.kind;
    return level.querySelector(".c1").textContent.toLowerCase().includes(name.value.trim().toLowerCase())
      && (!chapter || !chapter.value || level.dataset.chapter === chapter.value)
      && (!wanted || told === wanted || (wanted === "stands" && level.classList.contains("stands")));
  };
  const find = () => {
    all.forEach((level) => (level.hidden = !fits(level)));
    const shown = all.filter((level) => !level.hidden).length;
    found.textContent = shown === all.length ? "" : `${shown} of ${all.length} levels`;
  };
  [name, chapter, kind].forEach((one) => one && one.addEventListener("input", find));
  name.form.addEventListener("submit", (event) => event.preventDefault());
  const unfold = () => {
    const level = /^#level-\d+$/.test(location.hash) && document.getElementById(location.hash.slice(1));
    if (!level) return;
    level.hidden = false;
    level.open = true;
    level.scrollIntoView();
  };
  addEventListener("hashchange", unfold);
  unfold();
  let opened = [];
  addEventListener("beforeprint", () => {
    opened = [...document.querySelectorAll("details:not([open])")];
    opened.forEach((one) => (one.open = true));
  });
  addEventListener("afterprint", () => opened.forEach((one) => (one.open = false)));
})();
