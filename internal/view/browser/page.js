// The page of a review: it shows the state that the program gives and asks for what keys
// and drags mean. Text of documents only ever becomes text of the page.
"use strict";
const $ = (id) => document.getElementById(id);
const signs = { "": "·", right: "✓", changed: "≠", taken: "≠", unseen: "~", unsure: "?" };
let state = null;      // as the program gave it last
let words = [];        // elements of the source's words, in the order of their offsets
let mode = "deciding"; // or taking, placing: words are pointed to; typing
let entry = "";        // what is typed: change, note or find
let mark = null;       // [first, last] of words that are pointed to
let refused = null;    // what was typed last, to be typed again if it is refused
let sought = "";       // first letters of the words that are meant
let zoom = 1;
const turned = {};     // pages that were turned, by document and number
let queue = Promise.resolve(); // what was asked, one after another

function make(tag, of, text) {
  const e = document.createElement(tag);
  if (of) e.className = of;
  if (text !== undefined) e.textContent = text;
  return e;
}

// ask asks one thing after another: a key that comes before an answer waits for it, and
// then means what is in hand.
function ask(what) {
  queue = queue.then(async () => {
    const asked = what && what();
    const answer = asked
      ? await fetch("act", { method: "POST", headers: { "Content-Type": "application/json" }, body: JSON.stringify({ version: state.version, ...asked }) })
      : await fetch("state");
    if (!answer.ok) throw new Error(await answer.text());
    const before = state;
    const after = await answer.json();
    if (!asked && before && before.version === after.version && before.at === after.at && before.document === after.document) return; // nothing new, and somebody may be typing
    state = after;
    show(before);
  }).catch((e) => say("the program does not answer: " + e.message, true));
}

const now = () => (state && state.at >= 0 ? state.values[state.at] : null);
const act = (what, more) => ask(() => ({ do: what, key: now() ? now().key : "", ...more }));

function say(text, fault) {
  $("said").textContent = text;
  $("said").className = fault ? "fault" : "";
}

function show(before) {
  mode = "deciding";
  mark = null;
  document.title = state.document || "Review";
  $("document").textContent = state.over ? "Nothing is left to decide." : state.document;
  $("head").textContent = (state.head || []).join(" · ");
  $("entry").hidden = true;
  const v = now();
  $("about").textContent = v ? v.name + "  " + v.about + (v.risk ? " · " + v.risk : "") + (v.note ? " · note: " + v.note : "") : "";
  say(state.said || (v && !v.verdict && v.said ? v.said.join("; ") : ""), state.fault || (v && !v.verdict && v.said && !state.said));
  $("keys").textContent = usual();
  const source = (s) => s && JSON.stringify([s.document, s.lines, s.pages]);
  if (source(before) !== source(state)) drawSource();
  drawValues();
  const first = document.querySelector(".word.now") || document.querySelector(".word.maybe");
  if (first) first.scrollIntoView({ block: "nearest", inline: "nearest" });
  $("stage").focus({ preventScroll: true });
  if (refused && state.fault && before && before.at === state.at) open(...refused);
  refused = null;
}

const keyOf = (action) => Object.keys(state.keys).filter((k) => state.keys[k] === action).sort((a, b) => a.length - b.length)[0] || "";
function usual() {
  return [["help", "keys"], ["right", "right"], ["change", "change"], ["take", "take"], ["empty", "empty"], ["accept-rest", "rest"], ["doubtful", "doubtful"], ["undo", "undo"]]
    .map(([a, text]) => (a === "right" ? "enter" : keyOf(a)) + " " + text).join(" · ") + " · drag over words to take them";
}

function drawSource() {
  const sheet = $("sheet");
  sheet.replaceChildren();
  words = [];
  const put = (parent, w) => {
    const e = make("span", "word", w.text);
    e.start = w.start;
    e.end = w.end;
    if (w.text.trim()) words.push(e);
    parent.append(e);
    return e;
  };
  if (state.lines) {
    const text = make("div", "text");
    for (const line of state.lines) {
      const row = make("div", "row");
      row.append(make("span", "number", line.number));
      for (const w of line.words || []) put(row, w);
      text.append(row);
    }
    sheet.append(text);
  }
  for (const p of state.pages || []) {
    const width = Math.max(320, window.innerWidth - 480) * zoom, scale = width / p.width;
    const page = make("div", "page");
    page.style.width = width + "px";
    page.style.height = p.height * scale + "px";
    const picture = make("img");
    picture.alt = "page " + p.number;
    picture.onload = () => page.classList.add("pictured");
    picture.onerror = () => picture.remove();
    picture.src = "picture?" + new URLSearchParams({ document: state.document, page: p.number });
    page.append(picture);
    const heights = (p.words || []).map((w) => w.box[3] - w.box[1]).sort((a, b) => a - b);
    const high = (heights[heights.length >> 1] || 0) * scale;
    for (const w of p.words || []) {
      const e = put(page, w), [x0, y0, x1, y1] = w.box.map((n) => n * scale);
      Object.assign(e.style, { left: x0 + "px", top: y0 + "px", width: x1 - x0 + "px", height: y1 - y0 + "px", fontSize: Math.min(y1 - y0, high) * 0.85 + "px" });
    }
    const turn = turned[state.document + "#" + p.number] || 0;
    if (turn) page.style.transform = "rotate(" + turn + "deg)";
    sheet.append(page);
  }
  words.sort((a, b) => a.start - b.start);
}

// within gives the words that a stretch of the source touches.
function within(start, end) {
  let low = 0, high = words.length;
  while (low < high) {
    const mid = (low + high) >> 1;
    if (words[mid].end <= start) low = mid + 1;
    else high = mid;
  }
  const found = [];
  for (let i = low; i < words.length && words[i].start < end; i++) found.push(words[i]);
  return found;
}

function drawValues() {
  for (const w of words) w.classList.remove("now", "has", "maybe", "mark");
  const margin = $("margin"), loose = $("loose"), cards = [];
  margin.replaceChildren();
  loose.replaceChildren();
  (state.values || []).forEach((v, i) => {
    const at = (v.places || []).flatMap(([s, e]) => within(s, e));
    const card = make("button", "value");
    card.type = "button";
    const against = !v.verdict && v.said;
    card.append(make("span", "sign", against ? "!" : signs[v.verdict]), make("i", "", v.name), make("b", "", v.value || "–"));
    if (against) card.classList.add("bad");
    card.onclick = () => act("select", { key: v.key });
    card.title = (v.said || []).join("; ");
    if (i === state.at) card.classList.add("now");
    for (const w of at) w.classList.add(i === state.at ? "now" : "has");
    if (at.length) {
      margin.append(card);
      cards.push({ card, words: at, now: i === state.at });
    } else {
      loose.append(card);
      if (i === state.at) card.scrollIntoView({ block: "nearest" });
    }
  });
  const v = now();
  if (v && v.likely) for (const w of within(v.likely[0], v.likely[1])) w.classList.add("maybe");
  layOut(cards);
}

// layOut puts each value at the height of its words: the one in hand exactly, the others
// as near as they fit, and draws a rule from the words to it.
function layOut(cards) {
  const paper = $("paper").getBoundingClientRect(), sheet = $("sheet").getBoundingClientRect();
  $("margin").style.left = sheet.right - paper.left + 48 + "px";
  for (const c of cards) {
    const r = c.words[0].getBoundingClientRect(), last = c.words[c.words.length - 1].getBoundingClientRect();
    c.y = r.top - paper.top;
    c.from = [Math.max(r.right, Math.abs(last.top - r.top) < r.height ? last.right : 0) - paper.left, r.bottom + 1 - paper.top]; // below the words: through them it would strike them out
    c.high = c.card.offsetHeight + 2;
  }
  cards.sort((a, b) => a.y - b.y);
  const own = Math.max(0, cards.findIndex((c) => c.now));
  for (let i = own + 1, edge = cards[own] ? cards[own].y + cards[own].high : 0; i < cards.length; i++) {
    cards[i].y = Math.max(cards[i].y, edge);
    edge = cards[i].y + cards[i].high;
  }
  for (let i = own - 1; i >= 0; i--) cards[i].y = Math.min(cards[i].y, cards[i + 1].y - cards[i].high);
  const lift = Math.min(0, cards.length ? cards[0].y : 0); // none above the paper
  const rules = $("rules"), left = sheet.right - paper.left + 48;
  rules.replaceChildren();
  for (const c of cards) {
    c.card.style.top = c.y - lift + "px";
    const path = document.createElementNS("http://www.w3.org/2000/svg", "path"), y = c.y - lift + 11;
    // The one in hand is joined to its words; the others to the edge at their height.
    path.setAttribute("d", `M${c.now ? c.from[0] : left - 48} ${c.from[1]} L${left - 36} ${c.from[1]} L${left} ${y}`);
    if (c.now) path.setAttribute("class", "now");
    rules.append(path);
  }
}

function drawMark() {
  for (const w of words) w.classList.remove("mark");
  if (!mark) return;
  const [from, to] = [Math.min(...mark), Math.max(...mark)];
  for (let i = from; i <= to; i++) words[i].classList.add("mark");
  words[mark[1]].scrollIntoView({ block: "nearest", inline: "nearest" });
  say((mode === "placing" ? "its place: " : "take: ") + words.slice(from, to + 1).map((w) => w.textContent).join(" ") + "   enter · arrows · shift+right: one word more · letters: words that begin so · esc", false);
}

function point(as) {
  const v = now();
  if (!v || !words.length) return;
  mode = as;
  sought = "";
  const start = v.likely ? v.likely : v.places ? v.places[0] : null;
  const found = start ? within(start[0], start[1]) : [];
  const first = found.length ? words.indexOf(found[0]) : Math.max(0, words.findIndex((w) => w.getBoundingClientRect().top > 60));
  mark = [first, first + Math.max(0, found.length - 1)];
  drawMark();
}

function taken() {
  const [from, to] = [Math.min(...mark), Math.max(...mark)];
  act(mode === "placing" ? "place-words" : "take-words", { start: words[from].start, end: words[to].end, key: now().key, version: state.version });
}

// pointing takes a key while words are pointed to.
function pointing(e) {
  const last = words.length - 1, bound = (i) => Math.max(0, Math.min(last, i));
  const rowOf = (i) => words[i].getBoundingClientRect();
  switch (e.key) {
    case "Escape": mode = "deciding"; mark = null; drawValues(); say("", false); return;
    case "Enter": taken(); return;
    case "ArrowRight": mark = e.shiftKey ? [mark[0], bound(mark[1] + 1)] : [bound(mark[1] + 1), bound(mark[1] + 1)]; break;
    case "ArrowLeft": mark = e.shiftKey ? [mark[0], Math.max(mark[0], mark[1] - 1)] : [bound(mark[0] - 1), bound(mark[0] - 1)]; break;
    case "ArrowDown": case "ArrowUp": {
      const step = e.key === "ArrowDown" ? 1 : -1, y = rowOf(mark[0]).top, x = rowOf(mark[0]).left;
      let i = mark[0];
      while (i + step >= 0 && i + step <= last && Math.abs(rowOf(i).top - y) < 4) i += step;
      const row = rowOf(i).top;
      let best = i;
      for (let j = i; j >= 0 && j <= last && Math.abs(rowOf(j).top - row) < 4; j += step) if (Math.abs(rowOf(j).left - x) < Math.abs(rowOf(best).left - x)) best = j;
      mark = [best, best];
      break;
    }
    default:
      if (e.key.length !== 1) return;
      sought += e.key.toLowerCase();
      for (let n = 0; n <= last; n++) {
        const i = (mark[0] + n) % (last + 1);
        if (words[i].textContent.toLowerCase().startsWith(sought)) { mark = [i, i]; break; }
      }
  }
  drawMark();
}

function open(what, label, text, options) {
  mode = "typing";
  entry = what;
  $("label").textContent = label;
  $("options").replaceChildren(...(options || []).map((o) => { const e = make("option"); e.value = o; return e; }));
  $("entry").hidden = false;
  $("typed").value = text;
  $("typed").focus();
  $("typed").select();
}

function turn() {
  for (const p of state.pages || []) {
    const at = state.document + "#" + p.number;
    turned[at] = ((turned[at] || 0) + 90) % 360;
  }
  drawSource();
  drawValues();
}

const nameOf = (e) => {
  const special = { Enter: "enter", " ": "space", ArrowDown: "down", ArrowUp: "up", ArrowLeft: "left", ArrowRight: "right", Tab: "tab", Escape: "esc", PageDown: "pgdown", PageUp: "pgup", Backspace: "backspace" };
  const name = special[e.key] || e.key;
  return (e.ctrlKey ? "ctrl+" : "") + (e.altKey ? "alt+" : "") + (e.shiftKey && e.key.length > 1 ? "shift+" : "") + name;
};

document.addEventListener("keydown", (e) => {
  if (!state || e.metaKey) return;
  if ($("help").open) { e.preventDefault(); $("help").close(); return; }
  if (mode === "typing") {
    if (e.key === "Escape") { e.preventDefault(); $("entry").hidden = true; mode = "deciding"; $("stage").focus(); }
    return;
  }
  if (mode === "taking" || mode === "placing") { e.preventDefault(); pointing(e); return; }
  if (e.key === "z" || e.key === "Z") { zoom = Math.min(4, Math.max(0.4, zoom * (e.key === "z" ? 1.25 : 0.8))); drawSource(); drawValues(); return; }
  if (e.key === "R") { turn(); return; }
  const action = state.keys[nameOf(e)], v = now();
  if (!action || action.startsWith("scroll") || action === "quit") return;
  e.preventDefault();
  switch (action) {
    case "help":
      $("helptable").replaceChildren(...state.help.map(([keys, does]) => { const row = make("tr"); row.append(make("td", "", keys), make("td", "", does)); return row; }));
      $("help").showModal();
      return;
    case "take": point("taking"); return;
    case "place": point("placing"); return;
    case "change": if (v) open("change", "value:", v.value, v.options); return;
    case "note": if (v) open("note", "note:", v.note || "", []); return;
    case "find": open("find", "go to:", "", []); return;
  }
  act(action);
});

$("entry").addEventListener("submit", (e) => {
  e.preventDefault();
  const v = now();
  refused = [entry, $("label").textContent, $("typed").value, v ? v.options : []];
  act(entry, { text: $("typed").value });
});

// A drag over words takes them.
let pressed = -1;
const wordAt = (e) => {
  const hit = document.elementsFromPoint(e.clientX, e.clientY).find((x) => x.classList.contains("word"));
  return hit ? words.indexOf(hit) : -1;
};
$("sheet").addEventListener("pointerdown", (e) => {
  if (e.button !== 0 || mode === "typing" || !now()) return;
  pressed = wordAt(e);
  if (pressed < 0) return;
  e.preventDefault();
  if (mode === "deciding") mode = "taking";
  mark = [pressed, pressed];
  drawMark();
});
document.addEventListener("pointermove", (e) => {
  if (pressed < 0) return;
  const to = wordAt(e);
  if (to >= 0) { mark = [pressed, to]; drawMark(); }
});
document.addEventListener("pointerup", () => {
  if (pressed < 0) return;
  pressed = -1;
  taken();
});
window.addEventListener("resize", () => { if (state) { drawSource(); drawValues(); } });
window.addEventListener("focus", () => { if (mode === "deciding") ask(); });
ask();
