"use strict";
const told = JSON.parse(document.getElementById("told").textContent);
const kept = "kakushi-" + told.job;
let ticks = {};
try { ticks = JSON.parse(localStorage.getItem(kept)) || {}; } catch (error) { ticks = {}; }
function keep() { try { localStorage.setItem(kept, JSON.stringify(ticks)); } catch (error) { /* kept while the page is open */ } }
function show(id) {
  for (const page of document.querySelectorAll("section")) page.hidden = page.id !== id;
  for (const tab of document.querySelectorAll("nav button")) tab.setAttribute("aria-selected", String(tab.dataset.page === id));
}
for (const tab of document.querySelectorAll("nav button")) tab.addEventListener("click", () => show(tab.dataset.page));
for (const box of document.querySelectorAll("input[data-tick]")) {
  box.checked = ticks[box.dataset.tick] === 1;
  box.addEventListener("change", () => { if (box.checked) ticks[box.dataset.tick] = 1; else delete ticks[box.dataset.tick]; keep(); });
}
const which = document.getElementById("copy");
told.copies.forEach((copy, number) => {
  const option = document.createElement("option");
  option.value = String(number);
  option.textContent = copy.name;
  which.append(option);
});
const said = (id, text) => { const place = document.getElementById(id); place.textContent = text; place.hidden = !text; };
function here() { return told.copies[Number(which.value) || 0]; }
function at() { return ticks["at " + (Number(which.value) || 0)] || 0; }
function go(place) { ticks["at " + (Number(which.value) || 0)] = place; keep(); draw(); }
function draw() {
  const copy = here();
  if (!copy) { said("headline", "Nothing to build yet."); return; }
  const place = Math.min(at(), copy.steps.length), over = place === copy.steps.length;
  const step = over ? ["Done: all steps of this one.", "", "", []] : told.texts[copy.steps[place]];
  said("count", (over ? place : place + 1) + " of " + copy.steps.length);
  said("headline", step[0]); said("note", step[1]); said("how", step[2]);
  const bunches = document.getElementById("bunches");
  bunches.replaceChildren();
  for (const bunch of step[3]) {
    const group = document.createElement("div");
    group.className = "bunch";
    for (const colour of bunch) {
      const dot = document.createElement("span");
      dot.className = "dot";
      dot.style.backgroundColor = told.colours[colour][1];
      dot.style.color = told.colours[colour][3];
      dot.textContent = told.colours[colour][2];
      dot.title = told.colours[colour][0];
      dot.setAttribute("role", "img");
      dot.setAttribute("aria-label", told.colours[colour][0]);
      group.append(dot);
    }
    bunches.append(group);
  }
  const picture = document.getElementById("picture"), source = copy.piece === null ? "" : told.pictures[copy.piece];
  picture.hidden = !source;
  if (source) { picture.src = source; picture.alt = copy.name; }
  document.getElementById("done").disabled = over;
  document.getElementById("back").disabled = place === 0;
}
which.addEventListener("change", draw);
document.getElementById("done").addEventListener("click", () => go(at() + 1));
document.getElementById("back").addEventListener("click", () => go(Math.max(at() - 1, 0)));
document.addEventListener("keydown", (event) => {
  if (document.getElementById("steps").hidden || event.target.tagName === "SELECT" || event.target.tagName === "BUTTON") return;
  if (event.key === " " || event.key === "Enter") { event.preventDefault(); if (!document.getElementById("done").disabled) go(at() + 1); }
  if (event.key === "Backspace") { event.preventDefault(); go(Math.max(at() - 1, 0)); }
});
show("steps");
draw();
