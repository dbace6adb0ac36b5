// What the page does beyond being read: it shows one document at a time, puts values at the
// height of their words, steps through them, searches and filters. It makes no element
// out of text.
"use strict";
const $ = (id) => document.getElementById(id);
const all = (q, of) => Array.from((of || document).querySelectorAll(q));
const body = document.body, isOne = body.dataset.form === "one", isIndex = body.dataset.form === "index";
const articles = all("main > article"), rows = all("#documents tr[data-document]");
const narrow = window.matchMedia("(max-width: 62em)");
let now = null;      // the leaf of the tree in hand
let through = "values";
const bad = { problems: (li) => li.dataset.said === "1", errors: (li) => /wrong|missed|extra/.test(li.className), values: (li) => !li.classList.contains("none") };

const shown = () => (isOne ? articles.find((a) => a.classList.contains("shown")) : articles[0]) || null;
const wanted = () => decodeURIComponent(location.hash.slice(1).replace(/%(?![0-9A-Fa-f]{2})/g, "%25"));

// show brings up what the address asks for: the run, a document, or a value of one.
function show() {
  const id = wanted();
  let target = id ? document.getElementById(id) : null;
  if (isIndex && id && !(target && target.closest("#run section"))) { // of a value: its document's page
    const row = rows.filter((r) => id === r.dataset.document || id.startsWith(r.dataset.document + "/") || id.startsWith(r.dataset.document + "#")).sort((a, b) => b.dataset.document.length - a.dataset.document.length)[0];
    if (row) { location.href = row.querySelector("a").getAttribute("href").split("#")[0] + addressOf(id); return; }
  }
  const article = target && target.closest("article");
  if (isOne) {
    for (const a of articles) a.classList.toggle("shown", a === article);
    $("run").classList.toggle("shown", !article);
  }
  if (article || !isOne) layOut(article || articles[0]);
  if (target && target.dataset.v !== undefined) pick(target, true);
  else { pick(null); if (target && target !== article) target.scrollIntoView(); else window.scrollTo(0, 0); }
}

// layOut puts each value at the height of its words, or as near as it fits, and draws a
// rule from the words to it.
function layOut(article) {
  const sheet = article && article.querySelector(".sheet");
  if (!sheet) return;
  const rules = sheet.querySelector(".rules"), margin = sheet.querySelector(".margin");
  rules.replaceChildren();
  const isNarrow = narrow.matches;
  article.classList.toggle("laid", !isNarrow);
  if (isNarrow) { margin.style.height = ""; return; }
  const marks = new Map();
  for (const m of all("[data-v]", sheet.querySelector(".source"))) for (const n of m.dataset.v.split(" ")) if (!marks.has(n)) marks.set(n, m);
  const base = sheet.getBoundingClientRect(), paper = sheet.querySelector(".source").getBoundingClientRect(), top = margin.getBoundingClientRect().top;
  const cards = [];
  for (const card of all(".value", margin)) {
    const m = marks.get(card.dataset.v);
    if (!m) continue;
    const rects = m.getClientRects(), r = rects[rects.length - 1] || m.getBoundingClientRect();
    cards.push({ card, y: r.top - top, from: [r.right - base.left, r.bottom - base.top], high: card.offsetHeight + 1, now: card.classList.contains("now") });
  }
  cards.sort((a, b) => a.y - b.y);
  spread(cards);
  const lift = Math.min(0, cards.length ? cards[0].y : 0); // the one in hand may stand at the top with others before it
  const left = margin.getBoundingClientRect().left - base.left, edge = paper.right - base.left;
  for (const c of cards) {
    c.card.style.top = c.y - lift + "px";
    const path = document.createElementNS("http://www.w3.org/2000/svg", "path"), y = c.y - lift + top - base.top + 9;
    path.setAttribute("d", `M${c.from[0].toFixed(1)} ${c.from[1].toFixed(1)} L${(edge + 10).toFixed(1)} ${c.from[1].toFixed(1)} L${left.toFixed(1)} ${y.toFixed(1)}`);
    path.dataset.v = c.card.dataset.v;
    if (c.now) path.classList.add("now");
    if (/wrong|missed|extra|against/.test(c.card.className)) path.classList.add("bad");
    rules.append(path);
  }
  const last = cards[cards.length - 1];
  margin.style.height = last ? last.y - lift + last.high + "px" : "";
}

// spread moves cards apart where they would lie on each other, all together as little as
// can be; the one in hand stays at the height of its words.
function spread(cards) {
  const own = cards.findIndex((c) => c.now), y = own < 0 ? 0 : cards[own].y;
  const groups = [];
  let before = 0;
  for (const c of cards) {
    c.base = before;
    groups.push({ sum: c.y - before, of: [c] });
    before += c.high;
    for (let last = groups.length - 1; last > 0 && groups[last - 1].sum / groups[last - 1].of.length > groups[last].sum / groups[last].of.length; last--) {
      const g = groups.pop();
      groups[last - 1].sum += g.sum;
      groups[last - 1].of = groups[last - 1].of.concat(g.of);
    }
  }
  for (const g of groups) for (const c of g.of) c.y = Math.max(g.sum / g.of.length, 0) + c.base;
  if (own < 0) return;
  cards[own].y = y;
  for (let i = own + 1; i < cards.length; i++) cards[i].y = Math.max(cards[i].y, cards[i - 1].y + cards[i - 1].high);
  for (let i = own - 1; i >= 0; i--) cards[i].y = Math.min(cards[i].y, cards[i + 1].y - cards[i].high);
}

// pick takes a value in hand: its card, its words, and what is known of it below.
function pick(li, scroll) {
  for (const e of all(".now")) e.classList.remove("now");
  now = li;
  const about = $("about");
  about.hidden = !li;
  if (!li) return;
  const article = li.closest("article"), n = li.dataset.v;
  li.classList.add("now");
  for (const e of all(`.value[data-v="${n}"], .source [data-v~="${n}"]`, article)) e.classList.add("now");
  const head = document.createElement("p"), name = document.createElement("b");
  name.textContent = li.dataset.name;
  head.append(name, "  " + (li.querySelector("b") || { textContent: "" }).textContent);
  const more = li.querySelector(".more");
  about.replaceChildren(head);
  if (more) about.append(more.cloneNode(true));
  layOut(article);
  const words = article.querySelector(`.source [data-v~="${n}"]`);
  if (scroll) (words || li).scrollIntoView({ block: "center" });
}

const addressOf = (id) => "#" + encodeURIComponent(id).replace(/%2F/g, "/");

function go(li) {
  history.replaceState(null, "", addressOf(li.id));
  pick(li, true);
}

function visit(id) {
  history.pushState(null, "", addressOf(id));
  show();
}

// step goes on to the next value, problem or error, over documents that are not filtered
// away.
function step(by) {
  const at = shown();
  const list = at ? all("li[data-v]", at).filter(bad[through]) : [];
  let i = now ? list.indexOf(now) : -1;
  if (now && i < 0) { // what is in hand is not among them: the nearest behind or before it
    const every = all("li[data-v]", at), own = every.indexOf(now);
    i = by > 0 ? list.findIndex((l) => every.indexOf(l) > own) - 1 : list.findLastIndex((l) => every.indexOf(l) < own) + 1;
    if (by > 0 && i < -1) i = list.length;
  } else if (!now) i = by > 0 ? -1 : list.length;
  const to = list[i + by];
  if (to) { go(to); return; }
  turn(by, true);
}

// turn goes to the next document, and with step to the first thing in it.
function turn(by, onward) {
  if (!isOne) {
    const link = document.querySelector(by > 0 ? "a[rel=next]" : "a[rel=prev]");
    if (link) location.href = link.href;
    return;
  }
  const left = articles.filter((a) => !a.classList.contains("out")), at = left.indexOf(shown());
  for (let i = at + by; i >= 0 && i < left.length; i += by) {
    const list = onward ? all("li[data-v]", left[i]).filter(bad[through]) : [];
    if (onward && list.length === 0) continue;
    visit((onward ? list[by > 0 ? 0 : list.length - 1] : left[i]).id);
    return;
  }
  tell(onward ? "no more " + through : "no more documents");
}

const tell = (text) => { $("found").textContent = text; };

// Search and filters say which documents are left.
const folded = (s) => s.toLowerCase().normalize("NFKD").replace(/[\u0300-\u036f]/g, "");
let texts = null;
function filter() {
  const words = folded($("search").value.trim()).split(/\s+/).filter(Boolean);
  const by = all("select[data-by]").filter((s) => s.value);
  if (words.length && !texts) texts = rows.map((r) => folded(r.textContent + " " + (r.dataset.words || "") + " " + (isOne ? document.getElementById(r.dataset.document).textContent : "")));
  let left = 0;
  rows.forEach((r, i) => {
    const isIn = words.every((w) => texts[i].includes(w)) && by.every((s) => {
      const has = r.dataset[s.dataset.by];
      return s.dataset.by === "status" ? has === s.value : ("\n" + has + "\n").includes("\n" + s.value + "\n");
    });
    r.classList.toggle("out", !isIn);
    if (isOne) document.getElementById(r.dataset.document).classList.toggle("out", !isIn);
    if (isIn) left++;
  });
  tell(words.length || by.length ? left + " of " + rows.length + " documents" : "");
  light(words);
}

// light marks what was searched for where it stands.
function light(words) {
  if (!window.CSS || !CSS.highlights) return;
  CSS.highlights.delete("sought");
  const at = shown();
  if (!at || !words.length) return;
  const found = [], walk = document.createTreeWalker(at, NodeFilter.SHOW_TEXT);
  while (walk.nextNode() && found.length < 2000) {
    const text = walk.currentNode.data.toLowerCase();
    for (const w of words) for (let i = text.indexOf(w); i >= 0 && found.length < 2000; i = text.indexOf(w, i + w.length)) {
      const r = new Range();
      r.setStart(walk.currentNode, i);
      r.setEnd(walk.currentNode, i + w.length);
      found.push(r);
    }
  }
  CSS.highlights.set("sought", new Highlight(...found));
}

document.addEventListener("click", (e) => {
  const link = e.target.closest("a[data-filter]");
  if (link) {
    e.preventDefault();
    const [by, value] = [link.dataset.filter, link.dataset.value], select = document.querySelector(`select[data-by="${by}"]`);
    if (select) { select.value = value; filter(); location.hash = "#documents"; }
    return;
  }
  const mark = e.target.closest(".source [data-v]");
  if (mark) {
    const n = mark.dataset.v.split(" "), article = mark.closest("article");
    const next = now && n.includes(now.dataset.v) ? n[(n.indexOf(now.dataset.v) + 1) % n.length] : n[0];
    const li = article.querySelector(`li[data-v="${next}"]`);
    if (li) { history.replaceState(null, "", addressOf(li.id)); pick(li); }
  }
});

document.addEventListener("keydown", (e) => {
  if (e.ctrlKey || e.metaKey || e.altKey) return;
  if ($("help").open) { if (e.key === "Escape" || e.key === "?") { e.preventDefault(); $("help").close(); } return; }
  if (/INPUT|SELECT|TEXTAREA/.test(e.target.tagName)) { if (e.key === "Escape") e.target.blur(); return; }
  switch (e.key) {
    case "n": step(1); break;
    case "p": step(-1); break;
    case "1": case "2": case "3": $("through").selectedIndex = Number(e.key) - 1; through = $("through").value; tell("n and p: " + through); break;
    case "]": turn(1, false); break;
    case "[": turn(-1, false); break;
    case "/": $("search").focus(); break;
    case "u": if (isOne) visit("run"); else location.href = document.querySelector("header strong a").href; break;
    case "?": $("help").showModal(); break;
    case "Escape": pick(null); break;
    default: return;
  }
  e.preventDefault();
});
body.classList.add("scripted");
if (isOne) body.classList.add("one");
$("through").addEventListener("change", (e) => { through = e.target.value; });
if ($("search")) {
  let wait = 0;
  $("search").addEventListener("input", () => { clearTimeout(wait); wait = setTimeout(filter, 80); });
  for (const s of all("select[data-by]")) s.addEventListener("change", filter);
}
for (const f of all("header form")) f.addEventListener("submit", (e) => { e.preventDefault(); const hit = rows.find((r) => !r.classList.contains("out")); if (hit) hit.querySelector("a").click(); });
window.addEventListener("hashchange", () => { show(); if ($("search")) light(folded($("search").value.trim()).split(/\s+/).filter(Boolean)); });
window.addEventListener("resize", () => layOut(shown()));
window.addEventListener("load", () => { if (shown()) layOut(shown()); });
show();
