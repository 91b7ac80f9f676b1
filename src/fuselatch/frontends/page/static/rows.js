// A window onto many rows: only those are drawn that are seen. A million rows would be higher than browsers draw, so the
// scrollbar is scaled.

import { element } from "./dom.js";

/** @typedef {import("./view").ItemData} ItemData */
/** @typedef {{ item: ItemData, cells: string[] }} Row */

const HIGHEST = 6_000_000;
// Up to so many rows are all drawn.
const FEW = 100;

export class RowWindow {
  /**
   * @param {HTMLElement} scroller has a fixed height, and scrolls
   * @param {HTMLElement} host stays in sight, and holds the rows
   * @param {number} seen how many rows are seen
   * @param {(start: number, stop: number) => Element[]} draw draws rows, and returns their elements
   */
  constructor(scroller, host, seen, draw) {
    this.scroller = scroller;
    this.host = host;
    this.seen = seen;
    this.draw = draw;
    this.count = 0;
    this.first = 0;
    this.height = 0;
    this.at = 0;
    this.turned = 0;
    this.spacer = element("div", { class: "spacer", role: "none" });
    scroller.append(this.spacer);
    // What was drawn where it couldn't be seen has no height yet, and a heading may need another line. Once hidden, a browser
    // forgets how far it was scrolled.
    new ResizeObserver(() => {
      if (!this.isPart) return;
      if (host.getBoundingClientRect().height === 0) this.height = 0;
      else if (this.height > 0) this.fit();
      else this.update(this.count, -1);
    }).observe(host);
    scroller.addEventListener("scroll", () => this.scrolled());
  }

  get isPart() {
    return this.count > FEW;
  }

  get travel() {
    return Math.max(1, this.scroller.scrollHeight - this.scroller.clientHeight);
  }

  /**
   * Draws the rows again, with the one at `near` in sight (-1: the same as before).
   * @param {number} count
   * @param {number} near
   */
  update(count, near) {
    const before = [this.count, this.first, this.height].join();
    this.count = count;
    this.scroller.classList.toggle("part", this.isPart);
    if (!this.isPart) {
      this.scroller.style.height = "";
      this.spacer.style.height = "0";
      this.first = 0;
      const rows = this.draw(0, count);
      if (near >= 0) rows[near]?.scrollIntoView({ block: "nearest" });
      return;
    }
    this.first = Math.max(0, Math.min(this.first, count - this.seen));
    const isHidden = near >= 0 && (near < this.first || near >= this.first + this.seen);
    if (isHidden) this.first = Math.max(0, Math.min(near < this.first ? near : near - this.seen + 1, count - this.seen));
    this.redraw();
    // Otherwise leave the scrollbar alone: the user may just have moved it, and the browser tells of that later.
    if (before !== [count, this.first, this.height].join()) this.put();
  }

  redraw() {
    const rows = this.draw(this.first, Math.min(this.count, this.first + this.seen));
    const height = rows[0]?.getBoundingClientRect().height ?? 0;
    if (height > 0 && height !== this.height) {
      this.height = height;
      this.fit();
      this.spacer.style.height = `${Math.min(HIGHEST, (this.count - this.seen) * height)}px`;
    }
  }

  fit() {
    this.scroller.style.height = `${Math.ceil(this.host.getBoundingClientRect().height)}px`;
  }

  get last() {
    return Math.max(0, this.count - this.seen);
  }

  // The scrollbar, at the place of the first row that is seen. It is at an end only if the rows are, so that a wheel scrolls
  // the page there, and not before.
  put() {
    const place = Math.round((this.first / Math.max(1, this.last)) * this.travel);
    const [low, high] = [this.first > 0 ? 1 : 0, this.first < this.last ? this.travel - 1 : this.travel];
    this.scroller.scrollTop = Math.max(low, Math.min(place, high));
    this.at = this.scroller.scrollTop;
    this.turned = 0;
  }

  // A wheel and a finger move by pixels, however much the scrollbar is scaled; a thumb that is dragged goes to its place.
  scrolled() {
    if (!this.isPart) return;
    const by = this.scroller.scrollTop - this.at;
    if (by === 0) return;
    this.at = this.scroller.scrollTop;
    const isScaled = this.last * this.height > HIGHEST;
    const isNear = Math.abs(by) <= this.scroller.clientHeight;
    this.turned += by / (this.height || 1);
    const first = isScaled && isNear ? this.first + Math.trunc(this.turned) : Math.round((this.at / this.travel) * this.last);
    if (Math.max(0, Math.min(first, this.last)) === this.first) return;
    this.turned -= Math.trunc(this.turned);
    this.first = Math.max(0, Math.min(first, this.last));
    this.redraw();
    if (isScaled && isNear) {
      const { turned } = this;
      this.put();
      this.turned = turned;
    }
  }
}

/** The rows of a list that are known here. Others are asked for when they are to be seen. */
export class KnownRows {
  /** @param {(start: number, stop: number) => void} ask */
  constructor(ask) {
    this.ask = ask;
    /** @type {Map<number, Row>} */
    this.known = new Map();
    this.isOld = false;
    this.asked = "";
  }

  // What is known may be out of date: it is shown until the session has answered.
  age() {
    this.isOld = true;
    this.asked = "";
  }

  /**
   * @param {number} start
   * @param {ItemData[]} items
   * @param {string[][]} [cells]
   */
  put(start, items, cells) {
    items.forEach((item, at) => this.known.set(start + at, { item, cells: cells?.[at] ?? [] }));
  }

  /**
   * @param {number} start
   * @param {ItemData[]} items
   * @param {string[][]} [cells]
   */
  got(start, items, cells) {
    if (this.isOld) this.known.clear();
    this.isOld = false;
    this.put(start, items, cells);
  }

  /**
   * Returns rows by position; undefined for one that has been asked for.
   * @param {number} start
   * @param {number} stop
   * @returns {(Row | undefined)[]}
   */
  between(start, stop) {
    const found = Array.from({ length: Math.max(0, stop - start) }, (_, at) => this.known.get(start + at));
    const range = [Math.max(0, start - 100), stop + 100];
    if ((this.isOld || found.includes(undefined)) && this.asked !== range.join()) {
      this.asked = range.join();
      this.ask(range[0] ?? 0, range[1] ?? 0);
    }
    return found;
  }
}
