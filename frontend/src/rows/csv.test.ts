import { describe, expect, it } from "vitest";
import { csvOf } from "./csv";

describe("rows as CSV", () => {
  it("are in the order that is seen, quoted where they must be, and bite nobody", () => {
    const rows = [
      ["a,b", 1.5, null],
      ["=1+1", -3, "-"],
      ["-39.95", "+1 234,5", "-1-1"],
      ['say "x"\n', 0, "true"],
    ];
    expect(csvOf(["name", "+value", "more"], rows, [3, 0, 1, 2])).toBe(
      'name,\'+value,more\r\n"say ""x""\n",0,true\r\n"a,b",1.5,\r\n\'=1+1,-3,\'-\r\n-39.95,"+1 234,5",\'-1-1\r\n',
    );
    expect(csvOf(["only"], [], [])).toBe("only\r\n");
  });
});
