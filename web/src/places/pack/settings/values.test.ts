import { describe, expect, it } from "vitest";
import type { Setting } from "../../../api/settings";
import { freeId, given, keyName, linesOf, listOf, turned } from "./values";

describe("values in their fields", () => {
  it("writes a list an entry a line, and takes it back as what it was", () => {
    expect(linesOf(["Low Sluice", "Alder Cut"])).toBe("Low Sluice\nAlder Cut");
    expect(listOf(" Low Sluice \n\nMire", ["a"])).toEqual(["Low Sluice", "Mire"]);
    expect(listOf("1\n2.5\n", [7])).toEqual([1, 2.5]);
    expect(listOf("1\nmany", [7])).toBeNull();
    expect(listOf("", ["a"])).toEqual([]);
  });

  it("writes no list so that would not come back the same", () => {
    for (const odd of [["a\nb"], [" a"], [1, "a"], [["a"]], [""], "a"] as never[]) expect(linesOf(odd)).toBeNull();
  });

  it("names a key, and turns a switch, as the file does", () => {
    expect([keyName("ArrowLeft", "up"), keyName(" ", "ENTER"), keyName("l", "L"), keyName("Enter", "Space")]).toEqual([
      "left",
      "SPACE",
      "L",
      "Enter",
    ]);
    expect([turned(true), turned("Yes"), turned("off")]).toEqual([false, "No", "on"]);
  });

  it("gives a number back as it was written where a browser would round it, and a text as a text", () => {
    const seed = "9223372036854775807";
    expect(given({ kind: "whole number" } as Setting, seed)).toEqual({ text: seed });
    expect(given({ kind: "text" } as Setting, seed)).toEqual({ value: seed });
    expect(given({ kind: "whole number" } as Setting, 7)).toEqual({ value: 7 });
  });

  it("gives no two sets one id, whatever letters their names are in", () => {
    expect(freeId("Hard tolls!", ["hard-tolls", "hard-tolls-2"])).toBe("hard-tolls-3");
    expect([freeId("霧の夜", []), freeId("霧の朝", ["set"])]).toEqual(["set", "set-2"]);
  });
});
