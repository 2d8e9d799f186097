// What a careful eye objects to in a page as it stands: pairs of a rule and what it is about.
// letters: a text so narrow that words break; apart: a box far from its words; over: two texts on each other;
// cut: a text cut off by its box; sideways: something beyond the screen; tiny: a text too small to be read; wide: a line
// of prose too long to come back from; empty: a first screen with hardly anything; glyph: a letter that no font has.
() => {
  const [SMALLEST, FARTHEST, LONGEST, FULLEST] = [11.5, 40, 95, 0.1];
  const faults = new Map();
  const object = (rule, text) => {
    const about = text.replace(/\s+/g, " ").slice(0, 60);
    faults.set(`${rule}: ${about.replace(/[\d.]+/g, "#")}`, [rule, about]);
  };
  const styles = new Map();
  const style = (node) => styles.get(node) ?? styles.set(node, getComputedStyle(node)).get(node);
  const above = (node) => {
    const nodes = [];
    for (let at = node; at instanceof Element; at = at.parentElement) nodes.push(at);
    return nodes;
  };
  const isHidden = (node) => {
    const { display, visibility, opacity, clip, clipPath } = style(node);
    const isForEars = (clip !== "auto" || clipPath === "inset(50%)") && node.offsetWidth <= 1;
    return display === "none" || visibility === "hidden" || opacity === "0" || isForEars;
  };
  const isShown = (node) => !node.closest("details:not([open]) > :not(summary)") && !above(node).some(isHidden);
  const scrolls = (node) => above(node).some((at) => at !== document.body && /auto|scroll/.test(style(at).overflowX));
  const sizeOf = (node) => {
    const size = parseFloat(style(node).fontSize);
    const drawn = node.closest("svg") && node.getScreenCTM?.();
    return drawn ? size * Math.hypot(drawn.a, drawn.b) : size;
  };
  const distance = (a, b) => {
    const across = Math.max(0, a.left - b.right, b.left - a.right);
    return across + Math.max(0, a.top - b.bottom, b.top - a.bottom);
  };
  const boxesOf = (node) => {
    const range = document.createRange();
    range.selectNodeContents(node);
    return [...range.getClientRects()].filter((box) => box.width > 0 && box.height > 0);
  };

  const texts = [];
  const walker = document.createTreeWalker(document.body, NodeFilter.SHOW_TEXT);
  while (walker.nextNode()) {
    const { currentNode: node } = walker;
    const [text, parent] = [node.nodeValue.trim(), node.parentElement];
    if (!text || parent.closest("script, style, noscript, title, desc, option") || !isShown(parent)) continue;
    const boxes = boxesOf(node);
    if (boxes.length) texts.push({ text, parent, boxes, drawing: parent.closest("svg") });
  }

  for (const { text, parent, boxes, drawing } of texts) {
    if (sizeOf(parent) < SMALLEST && text.length > 1) object("tiny", text);
    if (boxes.some((box) => box.right > innerWidth + 2) && !scrolls(parent)) object("sideways", text);
    if (drawing) continue;
    const isProse = /^(P|LI|DD)$/.test(parent.tagName);
    if (isProse && boxes.length > 1 && text.length / boxes.length > LONGEST) object("wide", text);
    const breaks = boxes.length > text.split(/\s+/).length + 1 && boxes.length >= 3;
    if (breaks && text.length < 40 && !/auto|anywhere/.test(style(parent).hyphens)) object("letters", text);
    const { overflowX, textOverflow } = style(parent);
    const isCut = /hidden|clip/.test(overflowX) && parent.scrollWidth > parent.clientWidth + 2;
    if (isCut && textOverflow !== "ellipsis" && parent.clientWidth > 4) object("cut", text);
  }
  texts.forEach((one, place) => {
    for (const other of texts.slice(place + 1)) {
      if (one.drawing !== other.drawing) continue;
      if (one.parent.contains(other.parent) || other.parent.contains(one.parent)) continue;
      const meets = (a, b) => {
        const across = Math.min(a.right, b.right) - Math.max(a.left, b.left);
        const down = Math.min(a.bottom, b.bottom) - Math.max(a.top, b.top);
        return across > 2 && down > 0.45 * Math.min(a.height, b.height);
      };
      if (one.boxes.some((a) => other.boxes.some((b) => meets(a, b)))) object("over", `${one.text} × ${other.text}`);
    }
  });
  for (const box of document.querySelectorAll("input[type=radio], input[type=checkbox]")) {
    const label = box.closest("label") ?? box.labels?.[0];
    const own = box.getBoundingClientRect();
    if (!label || !isShown(box) || own.width <= 2) continue;
    const words = texts.filter(({ parent }) => label.contains(parent)).flatMap(({ boxes }) => boxes);
    const nearest = Math.min(...words.map((word) => distance(word, own)));
    if (words.length && nearest > FARTHEST) object("apart", label.innerText);
  }
  const canvas = Object.assign(document.createElement("canvas"), { width: 60, height: 60 }).getContext("2d");
  const drawnAs = (letter) => {
    canvas.clearRect(0, 0, 60, 60);
    canvas.font = `32px ${getComputedStyle(document.body).fontFamily}`;
    canvas.fillText(letter, 5, 42);
    return canvas.getImageData(0, 0, 60, 60).data.join();
  };
  const unknown = drawnAs("\u{10FFFD}");
  const letters = new Set(texts.flatMap(({ text }) => [...text]).filter((letter) => /[\u0180-\u{1efff}]/u.test(letter)));
  for (const letter of letters) {
    if (drawnAs(letter) === unknown) object("glyph", `U+${letter.codePointAt(0).toString(16)}`);
  }
  const cells = new Set();
  const fill = ({ left, right, top, bottom }) => {
    for (let x = Math.max(0, left); x < Math.min(innerWidth, right); x += 20) {
      for (let y = Math.max(0, top); y < Math.min(innerHeight, bottom); y += 20) {
        cells.add(`${Math.floor(x / 20)} ${Math.floor(y / 20)}`);
      }
    }
  };
  for (const { boxes } of texts) boxes.forEach(fill);
  for (const thing of document.querySelectorAll("main :is(svg, img, input, button, select, textarea, .button)")) {
    fill(thing.getBoundingClientRect());
  }
  const isPaper = /label|slip|tags|sheet|delete/.test(location.pathname);
  if (!isPaper && (cells.size * 400) / (innerWidth * innerHeight) < FULLEST) object("empty", "the first screen");
  if (document.documentElement.scrollWidth > innerWidth + 1) object("sideways", "the page itself");
  return [...faults.values()];
};
