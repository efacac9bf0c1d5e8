/** What is written in drawings: how wide it is, what of it fits, and in which colour it can be read. */
import { advances, letters } from "./widths.js";

/** Relative luminance, by WCAG 2.2. @param {number[]} rgb */
const luminance = (rgb) => rgb.map((v) => v / 255).map((v) => (v <= 0.04045 ? v / 12.92 : ((v + 0.055) / 1.055) ** 2.4)).reduce((sum, v, i) => sum + v * [0.2126, 0.7152, 0.0722][i], 0);

/** @type {Map<string, number>} */
const places = new Map([...letters].map((letter, i) => [letter, i]));

/**
 * How wide a text is in the letters that ship, without kerning and with figures of equal width; undefined if it
 * has a letter that they do not have. @param {string} s @param {number} size @param {number} weight
 */
export function shipped(s, size, weight) {
  const table = weight < 500 ? advances.regular : advances.bold;
  let sum = 0;
  for (const letter of s) {
    const at = places.get(letter);
    if (at === undefined) return undefined;
    sum += table[at];
  }
  return (sum * size) / 1000;
}

export class Pen {
  /**
   * @param {(s: string, size: number, weight: number) => number} measure how wide a text is
   * @param {(c: string) => number[]} rgb what a colour is in numbers, 0 to 255
   */
  constructor(measure, rgb) {
    this.measure = measure;
    this.rgb = rgb;
  }

  /** How wide a text is. @param {string} s @param {number} [size] @param {number} [weight] */
  wide(s, size = 12, weight = 400) {
    return this.measure(s, size, weight);
  }

  /** Shortens a text to a width; the full one stays in its title. @param {string} s @param {number} room @param {number} [size] @param {number} [weight] */
  shorten(s, room, size = 12, weight = 400) {
    if (this.wide(s, size, weight) <= room) return s;
    const letters = [...s];
    let low = 0, high = letters.length;
    while (low < high) {
      const mid = (low + high + 1) >> 1;
      if (this.wide(`${letters.slice(0, mid).join("")}…`, size, weight) <= room) low = mid;
      else high = mid - 1;
    }
    return low ? `${letters.slice(0, low).join("").trimEnd()}…` : "";
  }

  /** Breaks a text into at most two lines that fit, or returns null. @param {string} s @param {number} room @param {number} [size] */
  lines(s, room, size = 12) {
    if (this.wide(s, size) <= room) return [s];
    const words = s.split(" ");
    for (let i = words.length - 1; i > 0; i--) {
      const first = words.slice(0, i).join(" "), second = words.slice(i).join(" ");
      if (this.wide(first, size) <= room && this.wide(second, size) <= room) return [first, second];
    }
    return null;
  }

  /** Breaks a text into lines that fit, at most so many; the last is shortened if there is more. @param {string} s @param {number} room @param {number} most @param {number} [size] @param {number} [weight] */
  paragraph(s, room, most, size = 12, weight = 400) {
    /** @type {string[]} */
    const out = [];
    let line = "", rest = s.split(/\s+/).filter(Boolean);
    while (rest.length) {
      const longer = line ? `${line} ${rest[0]}` : rest[0];
      if (line && this.wide(longer, size, weight) > room) {
        if (out.length === most - 1) break;
        out.push(line);
        line = "";
        continue;
      }
      line = longer;
      rest = rest.slice(1);
    }
    if (line || rest.length) out.push(this.shorten([line, ...rest].filter(Boolean).join(" "), room, size, weight));
    return out.filter(Boolean);
  }

  /** What text on a colour is written in, so that its contrast is 4.5 at least: ink or paper, else black or white, of which one always does. @param {string} fill as colour() gives it */
  legible(fill) {
    const ground = luminance(this.rgb(fill));
    return ["var(--ink)", "var(--paper)", "#000000", "#ffffff"].find((c) => {
      const l = luminance(this.rgb(c));
      return (Math.max(l, ground) + 0.05) / (Math.min(l, ground) + 0.05) >= 4.5;
    }) ?? "var(--ink)";
  }
}
