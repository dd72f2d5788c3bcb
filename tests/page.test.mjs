// The program of the page by itself, run by tests/commands/test_page.py. NUMBERS names a file of what the tool writes.
import assert from "node:assert/strict";
import { readFileSync } from "node:fs";
import { test } from "node:test";
import * as page from "../src/vetrina/views/page/page.mjs";

const at = "plan.yaml:1";
const logger = (name, more = {}) => ({ name, level: null, levelAt: at, enabled: true, climb: true, climbAt: at, at, note: "", to: [], ...more });
const attached = (appender, more = {}) => ({ appender, floor: 0, floorAt: at, ceiling: 25, ceilingAt: at, rules: [], at, ...more });
const appender = (name, more = {}) => ({
  name, kind: "file", sink: `file ${name}.log`, place: name, header: 0, enabled: true, enabledAt: at, floor: 0, floorAt: null, ceiling: 25,
  ceilingAt: null, rules: [], otherwise: "keep", otherwiseAt: at, at, note: "", memory: "", policy: null, untold: "", ...more,
});
const rule = (verdict, condition) => ({ verdict, if: condition, note: "", at });
const names = Array.from({ length: 26 }, (_, severity) => ({ 0: "all", 5: "debug", 9: "info", 13: "warn", 25: "off" })[severity] ?? String(severity));
const plan = (more = {}) => ({
  name: "plan.yaml", separator: ".", assume: 9, assumed: "default", once: false, onceAt: at, names, levels: [["debug", 5], ["info", 9], ["warn", 13]],
  rules: [], loggers: [logger("root", { level: 13, to: [attached("desk")] }), logger("a.b", { level: 5, to: [attached("desk"), attached("file")] })],
  appenders: [appender("desk"), appender("file")], ...more,
});
const traffic = (kinds, more = {}) => ({ loggers: ["a.b", "c"], days: ["2026-11-09"], whole: [0], span: 86_400_000_000, kinds, ...more });
const kind = (more = {}) => ({ logger: 0, severity: 9, appenders: [0, 1], days: [[0, 10, 100, 200]], ...more });

test("numbers are written as the tool writes them", () => {
  for (const [function_, given, wanted] of JSON.parse(readFileSync(process.env.NUMBERS, "utf8"))) {
    assert.equal(String(page[function_](given)), wanted, `${function_}(${given})`);
  }
});

test("what cannot be seen or steers a screen is shown as its code", () => {
  assert.equal(page.shown("a\u001b[31m\u202eb\nc\ud800"), "a\\u{1b}[31m\\u{202e}b\nc\\u{d800}");
});

test("a condition is decided by logger and level as far as that goes", () => {
  const asks = { asks: "its message holds /x/" };
  for (const [condition, wanted, plainly = wanted] of [
    [{ logger: ["a"] }, true], [{ logger: ["a.bb"] }, false], [{ exactly: ["a"] }, false], [{ level: [9, 24] }, true], [{ level: [10, 24] }, false],
    [{ all: [] }, true], [{ any: [{ level: [1, 2] }, { logger: ["root"] }] }, true], [asks, asks.asks, false],
    [{ not: asks }, `not: ${asks.asks}`, true], [{ all: [{ logger: ["z"] }, asks] }, false], [{ any: [{ logger: ["a"] }, asks] }, true],
  ]) {
    assert.equal(page.reduce(condition, "a.b", 9, "."), wanted, JSON.stringify(condition));
    assert.equal(page.reduce(condition, "a.b", 9, ".", true), plainly, `${JSON.stringify(condition)}, plainly`);
  }
});

test("a level comes from the nearest logger that has one, and none from one that is switched off", () => {
  const tree = (some) => new page.Tree(plan({ loggers: some }));
  assert.deepEqual(tree(plan().loggers).standing("a.b.c"), { severity: 5, at, from: "a.b", assumed: false });
  assert.equal(tree([logger("a", { level: 5, enabled: false })]).standing("a").assumed, true);
  assert.deepEqual(page.ancestry("a.b.c", "."), ["a.b.c", "a.b", "a", "root"]);
});

test("every gate is asked in its order, and the first that stops says so", () => {
  const gates = (some) => [...some.early, ...some.lanes.flatMap((one) => one.steps)].map((one) => `${one.gate} ${one.passed}`).join(", ");
  const all = "attachment true, disabled true, floor true, ceiling true, rules true";
  for (const [asked, more, wanted] of [
    [["c", 9], {}, "door true, level false"],
    [["a.b", 5], {}, `door true, level true, nowhere true, ${all}, ${all}, ${all}`],
    [["c", 9], { rules: [rule("drop", { logger: ["c"] })] }, "door false"],
    [["c", 9], { rules: [rule("lift", { asks: "?" })] }, `door true, level null, nowhere true, ${all}`],
    [["c", 13], { rules: [rule("drop", { asks: "?" })] }, `door null, level true, nowhere true, ${all}`],
    [["c", 13], { loggers: [] }, "door true, level true, nowhere false"],
    [["c", 13], { appenders: [appender("desk", { enabled: false }), appender("file")] }, "door true, level true, nowhere true, attachment true, disabled false"],
    [["c", 13], { appenders: [appender("desk", { floor: 17, floorAt: at })] }, "door true, level true, nowhere true, attachment true, disabled true, floor false"],
    [["c", 13], { appenders: [appender("desk", { otherwise: "drop" })] }, "door true, level true, nowhere true, attachment true, disabled true, floor true, ceiling true, rules false"],
    [["a.b", 13], { once: true }, `door true, level true, nowhere true, attachment true, once true, ${all.slice(17)}, attachment true, once true, ${all.slice(17)}, attachment true, once false`],
  ]) {
    assert.equal(gates(page.ask(plan(more), ...asked)), wanted, JSON.stringify([asked, more]));
  }
});

test("the verdict tells what an ordinary one does, and what one does of which a rule's question holds", () => {
  const { arrives, words } = page.verdict(plan({ rules: [rule("lift", { asks: "its field badge is 1" })] }), "c", 9);
  assert.equal(arrives, false);
  assert.equal(words, "Stopped at the level gate: c inherits warn from root; info is below it (plan.yaml:1). If a question that a rule asks about the event itself holds, it may arrive in desk.");
});

test("what a change gains and loses is counted by appender, day and logger", () => {
  const seen = traffic([kind(), kind({ logger: 1, severity: 9, appenders: [0], days: [[0, 3, 33]] })]);
  const change = page.noChange();
  change.levels.set("c", 5);
  change.enabled.set("file", false);
  const found = page.compared(plan(), seen, page.allWays(plan(), seen), page.allWays(page.applied(plan(), change), seen));
  assert.deepEqual(found.appenders.map(({ before, after, gained, lost }) => [before.events, after.events, gained.bytes, lost.bytes]), [[20, 23, 33, 0], [10, 0, 0, 200]]);
  assert.equal([...found.seen.values()][0].events, 3);
  assert.equal(page.aDay(seen, 233, found.appenders[0].days[1]), 233);
});

test("of what newly passes, and no event tells, it is said that nothing tells", () => {
  const change = page.noChange();
  change.levels.set("c", 5);
  const gaps = page.unheard(plan(), page.applied(plan(), change), traffic([kind({ logger: 1, severity: 9 })]), change);
  assert.deepEqual(gaps, [{ logger: "c", low: 5, high: 5, below: true }]);
});

test("files roll by size, and the oldest go", () => {
  const policy = { path: { by_period: ["x.log"], numbered: false }, rename_to: { by_period: ["x."], numbered: true }, header: 0, append: true,
    each_start: false, periods: null, at_size: 10, size_after: false, newest_first: false, keep_files: 1, keep_age: null, keep_disk: null, packed: false };
  const file = new page.FileSimulation(policy);
  for (let turn = 0; turn < 4; turn++) file.write(turn * 1000, 6, 1);
  assert.deepEqual(file.files.map((one) => [one.events, one.removed]), [[1, 2000], [1, 3000], [1, null], [1, null]]);
  assert.equal(page.keptHistory(file.files), 1000);
  assert.equal(file.peak, 12);
});

test("a change is the options that the tool takes, and an address that comes back", () => {
  const change = page.noChange();
  change.levels.set("a.b", 9);
  change.enabled.set("it's [odd]", false);
  change.floors.set("file", 13);
  const words = page.optionsOf(plan(), change).map((pair) => pair.map(page.quoted).join(" "));
  assert.deepEqual(words, [`--set 'appenders["it'"'"'s [odd]"].enabled=false'`, "--set 'appenders[file].floor=warn'", "--tune a.b=info"]);
  const some = plan({ appenders: [...plan().appenders, appender("it's [odd]")] });
  const back = page.readFragment(some, page.fragment(change, { logger: "a.b", severity: 5 }));
  assert.deepEqual([back.change, back.asked, back.odd], [change, { logger: "a.b", severity: 5 }, []]);
  assert.deepEqual(page.readFragment(some, "level=99+a&on=1+nobody&x=<b>").odd, ["level=99 a", "on=1 nobody", "x=<b>"]);
});
