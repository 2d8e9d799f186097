// Brought into a page before its own scripts: when all of it is still, and what a person sees then.
"use strict";

(() => {
  const [later, never] = [window.setTimeout, window.clearTimeout];
  const fetched = window.fetch;
  const opened = IDBDatabase.prototype.transaction;
  const [SHORT, ENOUGH, TICK] = [1000, 8000, 8]; // ms
  let waiting = []; // pauses for a person's pace: each ends, in its turn, when all else is still
  let clock = 0;
  let underWay = 0;
  let sent = [];

  const soon = (act) => {
    underWay += 1;
    later(() => {
      underWay -= 1;
      act();
    });
  };
  window.setTimeout = (act, ms = 0, ...given) => {
    if (ms >= SHORT) return later(act, ms, ...given);
    const pause = { due: clock + ms, act: () => act(...given) };
    if (ms > 0) waiting.push(pause);
    else soon(pause.act);
    return pause;
  };
  window.clearTimeout = (timer) => {
    waiting = waiting.filter((pause) => pause !== timer);
    if (typeof timer === "number") never(timer);
  };
  const endNext = () => {
    const next = waiting.reduce((first, pause) => (pause.due < first.due ? pause : first));
    window.clearTimeout(next);
    clock = next.due;
    next.act();
  };
  const framed = window.requestAnimationFrame;
  window.requestAnimationFrame = (act) => {
    underWay += 1;
    return framed((at) => {
      underWay -= 1;
      act(at);
    });
  };
  window.setInterval = (act) => (window.now_and_then = act); // when the story says so
  const told = (body) => (body instanceof FormData ? JSON.stringify([...body].map(([name, value]) =>
    [name, value instanceof File ? `${value.name}, ${value.type}` : value])) : body ?? "");
  window.fetch = async (address, options = {}) => {
    const { pathname, search } = new URL(address, location);
    if (pathname !== "/token") sent.push(`→ ${options.method ?? "GET"} ${pathname}${search} ${told(options.body)}`);
    underWay += 1;
    try {
      return await fetched(address, options);
    } finally {
      later(() => (underWay -= 1), 10); // whoever waits for it goes on first
    }
  };
  const [pressed, made] = [HTMLAnchorElement.prototype.click, URL.createObjectURL];
  const files = new Map();
  URL.createObjectURL = (file) => {
    const address = made.call(URL, file);
    files.set(address, file);
    return address;
  };
  HTMLAnchorElement.prototype.click = async function () {
    if (!this.download) return pressed.call(this);
    underWay += 1;
    sent.push(`→ kept as ${this.download}: ${JSON.stringify(await files.get(this.href).text())}`);
    underWay -= 1;
  };
  window.print = () => sent.push("→ printed");
  for (const kind of ["json", "text", "blob"]) {
    const read = Response.prototype[kind];
    Response.prototype[kind] = function () {
      underWay += 1;
      return read.call(this).finally(() => later(() => (underWay -= 1), 10));
    };
  }
  IDBDatabase.prototype.transaction = function (...given) {
    const transaction = opened.apply(this, given);
    underWay += 1;
    for (const end of ["complete", "abort"]) transaction.addEventListener(end, () => (underWay -= 1));
    return transaction;
  };

  // Which way a round is shuffled is chance: in a story it goes backwards, before the page's own scripts read it.
  document.addEventListener("readystatechange", () => {
    const round = document.readyState === "interactive" && document.getElementById("round-data");
    const data = round && JSON.parse(round.textContent);
    if (data) round.textContent = JSON.stringify({ ...data, shuffled: data.units.map(({ code }) => code).reverse() });
  });
  // The next page is waited for.
  navigation.addEventListener("navigate", ({ hashChange, downloadRequest }) => {
    if (!hashChange && downloadRequest === null) underWay += 1;
  });

  const isCalm = () => document.readyState === "complete" && underWay === 0;
  const still = async () => {
    const until = performance.now() + ENOUGH;
    for (let calm = 0; calm < 4; ) {
      if (performance.now() > until) return ["it never comes to rest"];
      await new Promise((done) => later(done, TICK));
      calm = isCalm() ? calm + 1 : 0;
      if (calm < 2 || waiting.length === 0) continue;
      endNext();
      calm = 0;
    }
    return [];
  };

  const FIELDS = "input, select, textarea";
  const SHAPE = ["x", "y", "x1", "y1", "x2", "y2", "width", "height", "cx", "cy", "r", "rx", "ry", "d", "transform",
    "viewBox", "points", "stroke", "stroke-width", "stroke-dasharray", "stroke-opacity", "fill", "fill-opacity",
    "font-size", "font-weight", "text-anchor"];
  const STATE = ["aria-pressed", "aria-invalid", "aria-busy", "aria-hidden", "aria-label", "readonly", "data-code",
    "size"];
  const LOOKS = /^(is-\w+|here|next|chosen|flash|till-says)$/;
  const UNTOLD = ["pages-seen", "taken"]; // long, and seen by what they lead to
  const spoken = (text) => text.replace(/\s+/g, " ").trim();
  const round = (text) => text.replace(/-?\d+\.\d+/g, (number) => String(Math.round(Number(number))));
  const valueOf = (field) => {
    if (field.type === "checkbox" || field.type === "radio") return field.checked ? "[x]" : "[ ]";
    return field.matches("select") ? `[${field.selectedOptions[0]?.text ?? ""}]` : `[${field.value}]`;
  };
  const DRAWN = "#ground, .course-chart, .outline-taps, .till-map"; // of other drawings, only what they are called
  const isTold = (part) =>
    !part.matches("option, script, style, template") && (!part.ownerSVGElement || part.closest(DRAWN));
  function lineOf(part) {
    const name = `${part.localName}${part.id ? `#${part.id}` : ""}`;
    const words = spoken([...part.childNodes].filter((node) => node.nodeType === 3).map((node) => node.data).join(" "));
    const looks = [...part.classList].filter((look) => LOOKS.test(look) || part.closest("#ground"));
    const has = (key) => part.hasAttribute(key);
    const state = STATE.filter(has).map((key) => `${key}=${spoken(part.getAttribute(key))}`);
    const shapes = part.closest(DRAWN) ? SHAPE.filter(has) : [];
    const shape = shapes.map((key) => `${key}=${round(part.getAttribute(key))}`);
    const is = [part.disabled && "disabled", part.open && "open", part.scrollLeft > 0 && `scrolled ${part.scrollLeft}`];
    const value = part.matches(FIELDS) ? [valueOf(part)] : [];
    const rest = [...looks, ...state, ...shape, ...is, ...value].filter(Boolean);
    return words || rest.length ? [[name, words, ...rest].filter(Boolean).join(" ")] : [];
  }
  const named = (part) => `${part.localName}#${part.id}.${part.className?.baseVal ?? part.className} “${
    spoken(part.getAttribute("aria-label") ?? part.textContent ?? "").slice(0, 40)}”`;

  // What is seen of a part of the page, what has the focus, what was sent meanwhile, what the device notes.
  window.seen = async (where) => {
    const end = await still();
    const parts = [...document.querySelectorAll(where.split(",").map((each) => `${each}, ${each} *`).join())];
    const shown = parts.filter((part) => part.checkVisibility({ visibilityProperty: true }));
    const lines = shown.filter(isTold).flatMap(lineOf);
    const focus = document.activeElement === document.body ? [] : [`focus: ${named(document.activeElement)}`];
    const notes = [localStorage, sessionStorage].flatMap((store) =>
      Object.entries(store).filter(([key]) => !UNTOLD.includes(key)).map(([key, text]) => `note ${key}: ${text}`));
    const wire = sent;
    sent = [];
    const told = { state: [...lines, ...focus, ...notes.sort()], events: [...wire, ...end], at: location.pathname };
    return JSON.stringify(told); // one text is brought over faster than its parts
  };
  window.rested = async () => (await still()).length === 0;
  // The first thing to press that is shown and has these words.
  window.pressable = (words) => {
    const parts = [...document.querySelectorAll("button, a, summary, label, [role=button], [role=radio]")];
    const says = (part) => spoken(part.getAttribute("aria-label") ?? part.textContent);
    const shown = parts.filter((part) => part.checkVisibility({ visibilityProperty: true }) && !part.disabled);
    return shown.find((part) => says(part) === words) ?? shown.find((part) => says(part).startsWith(words)) ?? null;
  };
})();
