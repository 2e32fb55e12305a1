import { describe, expect, it } from "vitest";
import { keyName, linesOf, listOf, turned } from "./values";

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
});
