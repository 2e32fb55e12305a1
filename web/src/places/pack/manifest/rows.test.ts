// The manifest's order: where lines come to stand, and which are marked between two of them.
import { describe, expect, it } from "vitest";
import type { Line } from "./columns";
import { between, byOneStep, type Collection, grouped, inOrder, moved, toBefore, toPlace } from "./rows";

const line = (mod: string, order: number, more: Partial<Line> = {}) =>
  ({
    mod,
    name: mod,
    order,
    group: "chosen",
    state: "settled",
    on: true,
    pickup: "direct",
    category: "",
    ...more,
  }) as Line;

const FIVE = ["a", "b", "c", "d", "e"].map((mod, at) => line(mod, at + 1));
const BROUGHT = line("z", 0, { group: "brought in" });

/** The order after a move. */
const orderAfter = (edit: ReturnType<typeof toPlace>) =>
  edit?.do === "move"
    ? inOrder(moved(FIVE, edit))
        .map((one) => one.mod)
        .join("")
    : "stays";

describe("moving lines", () => {
  it.each([
    [["d"], 1, "dabce"],
    [["a"], 5, "bcdea"],
    [["a"], 99, "bcdea"],
    [["b", "d"], 2, "abdce"],
    [["b"], 2, "stays"],
    [["c"], 0, "cabde"],
  ] as const)("takes %j to place %i", (mods, place, order) => {
    expect(orderAfter(toPlace([...mods], place, [...FIVE, BROUGHT]))).toBe(order);
  });

  it("drops lines before another one, and nowhere near one that was brought in", () => {
    expect(orderAfter(toBefore(["e"], "b", FIVE))).toBe("aebcd");
    expect(toBefore(["e"], "z", [...FIVE, BROUGHT])).toBeNull();
  });

  it("goes one step, and not over the ends", () => {
    expect(orderAfter(byOneStep(1, "b", FIVE))).toBe("acbde");
    expect(orderAfter(byOneStep(-1, "b", FIVE))).toBe("bacde");
    expect([byOneStep(-1, "a", FIVE), byOneStep(1, "e", FIVE)]).toEqual([null, null]);
  });
});

it("shows a move as the site will answer it, and draws again only what got another place", () => {
  const lines = moved([...FIVE, BROUGHT], { mods: ["d"], before: "c" });
  expect(lines.map((one) => [one.mod, one.order])).toEqual([
    ["a", 1],
    ["b", 2],
    ["d", 3],
    ["c", 4],
    ["e", 5],
    ["z", 0],
  ]);
  expect([lines[0], lines[4], lines[5]]).toEqual([FIVE[0], FIVE[4], BROUGHT]);
  expect(lines[0]).toBe(FIVE[0]);
  expect(moved(FIVE, { mods: ["a"], before: "gone" }).map((one) => one.mod)).toEqual(["b", "c", "d", "e", "a"]);
});

it("marks a stretch in either direction, and the line alone where the other end is gone", () => {
  expect(between(["a", "b", "c", "d"], "d", "b")).toEqual(["b", "c", "d"]);
  expect(between(["a", "b"], "gone", "b")).toEqual(["b"]);
});

it("puts what collections bring between what was chosen and what came along, empty collections too", () => {
  const told = (id: string, name: string) => ({ id, name, number: "1.0" }) as Collection;
  const of = (id: string, mod: string) => line(mod, 0, { group: "collection", collection: id });
  const lines = [BROUGHT, of("k", "dials"), of("k", "glass"), line("a", 1)];
  const rows = grouped(lines, "part", [told("z", "Steady"), told("k", "Deck")]);
  expect(rows.map((row) => ("heading" in row ? row.heading : row.line.mod))).toEqual([
    "Chosen (1)",
    "a",
    "Steady 1.0 (0)",
    "Deck 1.0 (2)",
    "dials",
    "glass",
    "Brought in (1)",
    "z",
  ]);
  expect(grouped([of("k", "dials")], "category", [told("k", "Deck")])[0]).toMatchObject({ heading: "No category (1)" });
});

it("shows every line that is off under Off, whether or not it is kept", () => {
  const rows = grouped([line("a", 1), line("k", 2, { on: false, state: "kept" }), line("o", 3, { on: false })], "part");
  expect(rows.map((row) => ("heading" in row ? row.heading : row.line.mod))).toEqual([
    "Chosen (1)",
    "a",
    "Off (2)",
    "k",
    "o",
  ]);
});
