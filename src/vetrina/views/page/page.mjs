/**
 * The program of the page that is handed over: what `why` and `whatif` say, worked out from the page's own data.
 *
 * First numbers and words; then a plan and its gates; a recording, counted; files that roll, played; the change as options
 * and as an address; at last the page itself, which runs in a browser only. Severities are numbers from 0 (all) to 25 (off),
 * times microseconds since 1970, as in the data.
 */

// ---------------------------------------------------------------- numbers and words

/** A count with a blank between thousands, as SI writes them. */
export function number(count) {
  return String(count).replace(/\B(?=(\d{3})+(?!\d))/g, " ");
}

export function counted(count, noun) {
  return `${number(count)} ${count === 1 ? noun : noun.endsWith("s") ? `${noun}es` : `${noun}s`}`;
}

/** A number with so many decimals, a tie to the even digit (IEEE 754), as the tool writes it. */
export function fixed(value, digits) {
  const scaled = value * 10 ** digits;
  const tied = digits ? (value * 4) % 2 : (value * 2) % 2;
  if (Math.abs(tied) === 1 && Math.floor(scaled) + 0.5 === scaled && Math.floor(scaled) % 2 === 0) {
    return (Math.floor(scaled) / 10 ** digits).toFixed(digits);
  }
  return value.toFixed(digits);
}

/** Bytes in IEC units with at most one decimal. */
export function size(count) {
  let value = count;
  let unit = "B";
  for (unit of ["B", "KiB", "MiB", "GiB", "TiB"]) {
    if (value < 1024 || unit === "TiB") break;
    value /= 1024;
  }
  return unit === "B" || value >= 100 ? `${fixed(value, 0)} ${unit}` : `${fixed(value, 1)} ${unit}`;
}

/** A span of microseconds in its two largest units. */
export function span(micros) {
  let seconds = Math.floor(micros / 1e6);
  if (seconds < 1) return micros === 0 ? "0 seconds" : `${Math.floor(micros / 1000)} milliseconds`;
  const parts = [];
  for (const [word, length] of [
    ["day", 86400],
    ["hour", 3600],
    ["minute", 60],
    ["second", 1],
  ]) {
    const count = Math.floor(seconds / length);
    seconds %= length;
    if (count) parts.push(counted(count, word));
    else if (parts.length) break;
  }
  return parts.slice(0, 2).join(" ");
}

/** The nearest whole number, a tie to the even one (IEEE 754). */
export function rounded(value) {
  const below = Math.floor(value);
  if (value - below !== 0.5) return Math.round(value);
  return below % 2 === 0 ? below : below + 1;
}

/** A text as it may be shown: what steers a screen, or is not seen, as its code. */
export function shown(text) {
  return String(text).replace(/[\p{Cc}\p{Cf}\u2028\u2029\ud800-\udfff]/gu, (char) => {
    if (char === "\n") return "\n";
    return `\\u{${char.codePointAt(0).toString(16)}}`;
  });
}

// ---------------------------------------------------------------- a plan and its gates

const ROOT = "root";

/** No change: what `applied` takes. */
export function noChange() {
  return { levels: new Map(), enabled: new Map(), floors: new Map(), ceilings: new Map() };
}

/** The plan with a change: levels by logger (which switch it on), and by appender `enabled`, `floors` and `ceilings`. */
export function applied(plan, change) {
  const tuned = (one) =>
    change.levels.has(one.name)
      ? { ...one, level: change.levels.get(one.name), levelAt: "--tune", enabled: true }
      : one;
  const loggers = change.levels.size ? plan.loggers.map(tuned) : plan.loggers;
  const known = new Set(change.levels.size ? plan.loggers.map((one) => one.name) : []);
  for (const [name, level] of change.levels) {
    if (known.has(name)) continue;
    loggers.push({
      name,
      level,
      levelAt: "--tune",
      enabled: true,
      climb: true,
      climbAt: "default",
      at: "--tune",
      note: "",
      to: [],
    });
  }
  const appenders = plan.appenders.map((one) => ({
    ...one,
    ...(change.enabled.has(one.name) ? { enabled: change.enabled.get(one.name), enabledAt: "--set" } : {}),
    ...(change.floors.has(one.name) ? { floor: change.floors.get(one.name), floorAt: "--set" } : {}),
    ...(change.ceilings.has(one.name) ? { ceiling: change.ceilings.get(one.name), ceilingAt: "--set" } : {}),
  }));
  return { ...plan, loggers, appenders };
}

/** A logger's name and those above it of at most so many segments, the nearest first, root last. */
export function ancestry(name, separator, deepest = Infinity) {
  const segments = name.split(separator);
  const found = [name];
  for (let count = Math.min(segments.length - 1, deepest); count > 0; count--) {
    found.push(segments.slice(0, count).join(separator));
  }
  found.push(ROOT);
  return [...new Set(found.filter((one) => one !== ""))];
}

const TREES = new WeakMap();

/** The tree of a plan, made once; ``base`` is that of the plan of which this one is a change. */
export function treeOf(plan, base = null) {
  if (!TREES.has(plan)) TREES.set(plan, new Tree(plan, base));
  return TREES.get(plan);
}

/** The loggers that are switched on, and what holds for any logger; where a plan is another one with a change, what stays is taken from its tree. */
export class Tree {
  constructor(plan, base = null) {
    this.plan = plan;
    this.entries = new Map();
    for (const one of plan.loggers) if (one.enabled) this.entries.set(one.name, one);
    this.appenders = new Map(plan.appenders.map((one, at) => [one.name, at]));
    this.base = base;
    this.changed = base === null ? [] : [...this.entries.values()].filter((one) => base.entries.get(one.name) !== one);
    this.replaces = this.changed.every((one) => base.entries.has(one.name));
    this.deepest = (base === null ? [...this.entries.values()] : this.changed).reduce(
      (most, one) => Math.max(most, one.name.split(plan.separator).length),
      base?.deepest ?? 1,
    );
    this.above = new Map();
    this.kinds = new Map();
  }

  /** The configured loggers at and above a name, the nearest first. */
  ancestors(name) {
    let found = this.above.get(name);
    if (found === undefined) {
      found = this.found(name);
      this.above.set(name, found);
    }
    return found;
  }

  found(name) {
    if (this.base !== null) {
      const above = this.changed.filter((one) => isBelow(name, one.name, this.plan.separator));
      if (!above.length) return this.base.ancestors(name);
      if (this.replaces) return this.base.ancestors(name).map((one) => this.entries.get(one.name));
    }
    const names = ancestry(name, this.plan.separator, this.deepest);
    return names.map((one) => this.entries.get(one)).filter(Boolean);
  }

  /** The effective level of a logger: {severity, at, from}; `from` is the logger that it comes from. */
  standing(name) {
    const entry = this.ancestors(name).find((one) => one.level !== null);
    if (entry) return { severity: entry.level, at: entry.levelAt, from: entry.name, assumed: false };
    return { severity: this.plan.assume, at: this.plan.assumed, from: ROOT, assumed: true };
  }

  /** What decides on a logger's events as far as no rule asks: loggers of which that is the same are alike. */
  alike(name) {
    let found = this.kinds.get(name);
    if (found === undefined) {
      found = `${this.standing(name).severity}`;
      for (const entry of this.climb(name))
        for (const one of entry.to) found += `/${one.appender} ${one.floor} ${one.ceiling}`;
      this.kinds.set(name, found);
    }
    return found;
  }

  /** The configured loggers that an event of `name` delivers through, own first. */
  climb(name) {
    const above = this.ancestors(name);
    const end = above.findIndex((one) => !one.climb);
    return end < 0 ? above : above.slice(0, end + 1);
  }
}

/** Whether a logger is another one or below it, by whole segments. */
function isBelow(name, ancestor, separator) {
  if (ancestor === ROOT || ancestor === "" || name === ancestor) return true;
  if (!name.startsWith(ancestor + separator)) return false;
  const segments = ancestor.split(separator);
  const own = name.split(separator);
  return segments.every((one, at) => one === own[at]);
}

/** What a condition comes to for a logger and a severity: true, false, or the questions about the event that are left; an event that is `plain` answers no to each. */
export function reduce(condition, logger, severity, separator, plain = false) {
  const within = (one) => reduce(one, logger, severity, separator, plain);
  if (condition.logger) return condition.logger.some((name) => isBelow(logger, name, separator));
  if (condition.exactly) return condition.exactly.includes(logger);
  if (condition.level) return condition.level[0] <= severity && severity <= condition.level[1];
  if (condition.asks) return plain ? false : condition.asks;
  if (condition.not) {
    const found = within(condition.not);
    return typeof found === "boolean" ? !found : `not: ${found}`;
  }
  const any = "any" in condition;
  const left = [];
  for (const found of (any ? condition.any : condition.all).map(within)) {
    if (found === any) return any;
    if (typeof found === "string") left.push(found);
  }
  return left.length ? left.join(any ? ", or " : ", and ") : !any;
}

/** The first rule that decides: {verdict, words, at}, and `perhaps` the ones before it that the event itself decides on. */
function decided(rules, logger, severity, { separator, plain = false }) {
  const perhaps = [];
  for (const [turn, rule] of rules.entries()) {
    const found = reduce(rule.if, logger, severity, separator, plain);
    if (found === true) return { verdict: rule.verdict, turn, rule, perhaps };
    if (found !== false) perhaps.push({ verdict: rule.verdict, turn, rule, asks: found });
  }
  return { verdict: null, turn: -1, rule: null, perhaps };
}

const DOES = { drop: "drops it", keep: "keeps it", lift: "lifts it past the level gate" };

function ifWords(perhaps, owner) {
  return perhaps.map((one) => `rule ${one.turn}${owner} ${DOES[one.verdict]} if ${one.asks}`).join("; ");
}

/** Every gate for an event of a logger and a level, as `why` has them: `passed` is null where the event itself decides. */
export function ask(plan, logger, severity) {
  const tree = treeOf(plan);
  const early = [];
  const level = plan.names[severity];
  const door = atDoor(plan, logger, severity);
  early.push(door.step);
  if (door.step.passed === false) return { early, lanes: [] };
  const standing = tree.standing(logger);
  early.push(levelGate(plan, logger, standing, severity, door, level));
  if (early[1].passed === false) return { early, lanes: [] };
  const climbed = tree.climb(logger);
  const lanes = climbed.flatMap((entry) => entry.to.map((attachment) => ({ via: entry.name, attachment })));
  if (!lanes.length) {
    const last = climbed.at(-1);
    const words =
      last && !last.climb
        ? `the climb ends at ${last.name}, which does not climb, and nothing is attached on it`
        : `nothing is attached to ${logger} or any of its ancestors`;
    early.push({ gate: "nowhere", passed: false, words, at: last && !last.climb ? last.climbAt : "" });
    return { early, lanes: [] };
  }
  early.push({
    gate: "nowhere",
    passed: true,
    words: `${counted(lanes.length, "attachment")} met on the climb`,
    at: "",
  });
  const sure = early.every((one) => one.passed);
  const met = new Map();
  return { early, lanes: lanes.map((one) => lane(plan, tree, one, logger, severity, met, sure)) };
}

function atDoor(plan, logger, severity) {
  const found = decided(plan.rules, logger, severity, plan);
  const lifts = found.verdict === "lift" ? true : found.perhaps.some((one) => one.verdict === "lift") ? null : false;
  let words = plan.rules.length
    ? `none of ${counted(plan.rules.length, "rule")} matches`
    : "the plan has no rules at the door";
  if (found.rule) words = `rule ${found.turn} ${DOES[found.verdict]}${found.rule.note ? ` (${found.rule.note})` : ""}`;
  if (found.perhaps.length) words = `${ifWords(found.perhaps, "")}; else ${words}`;
  const drops = found.verdict === "drop";
  const perhaps = found.perhaps.some((one) => (one.verdict === "drop") !== drops);
  return {
    step: {
      gate: "door",
      passed: perhaps ? null : !drops,
      words,
      at: found.rule?.at ?? found.perhaps[0]?.rule.at ?? "",
    },
    lifts,
  };
}

function levelGate(plan, logger, standing, severity, door, level) {
  const name = plan.names[standing.severity];
  let words = `${logger} is set to ${name}`;
  if (standing.from !== logger) words = `${logger} inherits ${name} from ${standing.from}`;
  if (standing.assumed)
    words =
      logger === ROOT
        ? `root has ${name}, which is assumed for root`
        : `${logger} has ${name}, which is assumed for root`;
  if (door.lifts === true)
    return { gate: "level", passed: true, words: `not asked: lifted at the door (${words})`, at: standing.at };
  const passes = severity >= standing.severity;
  const unless = !passes && door.lifts === null ? ", unless it is lifted at the door" : "";
  return {
    gate: "level",
    passed: passes ? true : unless ? null : false,
    words: `${words}; ${level} is ${passes ? "at or above" : "below"} it${unless}`,
    at: standing.at,
  };
}

function lane(plan, tree, { via, attachment }, logger, severity, met, sure) {
  const appender = plan.appenders[tree.appenders.get(attachment.appender)];
  const steps = [];
  const level = plan.names[severity];
  const say = (gate, passed, words, at) => {
    steps.push({ gate, passed, words, at: at ?? "" });
    return passed !== false;
  };
  const end = () => {
    const stopped = steps.some((one) => one.passed === false);
    const arrives = stopped ? false : sure && steps.every((one) => one.passed) ? true : null;
    return { appender: appender.name, sink: appender.sink, via, steps, arrives };
  };
  if (!attachmentGate(plan, attachment, via, logger, severity, level, say)) return end();
  if (plan.once) {
    const before = met.get(appender.name);
    const now = steps.at(-1).passed;
    if (before !== true) met.set(appender.name, now === true ? true : null);
    const passed = before === true ? false : before === null ? null : true;
    const words = passed
      ? "first time on this climb"
      : passed === null
        ? "met before on this climb, if it passed there"
        : "already met on this climb, and the plan says deliver: once";
    if (!say("once", passed, words, plan.onceAt)) return end();
  }
  if (
    !say(
      "disabled",
      appender.enabled,
      appender.enabled ? "enabled" : "switched off",
      appender.enabled ? appender.at : appender.enabledAt,
    )
  )
    return end();
  for (const gate of ["floor", "ceiling"]) {
    const bound = appender[gate];
    const at = appender[`${gate}At`];
    const passed = gate === "floor" ? severity >= bound : severity <= bound;
    const relation = gate === "floor" ? (passed ? "at or above" : "below") : passed ? "at or below" : "above";
    const words = at === null ? `no ${gate}` : `${level} is ${relation} the appender's ${gate}, ${plan.names[bound]}`;
    if (!say(gate, passed, words, at)) return end();
  }
  rulesGate(
    "rules",
    appender.rules,
    appender.otherwise === "keep",
    appender.name,
    plan,
    logger,
    severity,
    say,
    appender.rules.length ? appender.otherwiseAt : "",
    "no rules",
  );
  if (appender.memory && steps.at(-1).passed !== false)
    say(
      "limit",
      null,
      `${appender.name} has ${appender.memory}: what came before decides, which needs the tool (vetrina why … --from)`,
      appender.at,
    );
  return end();
}

function attachmentGate(plan, attachment, via, logger, severity, level, say) {
  if (severity < attachment.floor)
    return say(
      "attachment",
      false,
      `${level} is below the attachment's floor, ${plan.names[attachment.floor]}`,
      attachment.floorAt,
    );
  if (severity > attachment.ceiling)
    return say(
      "attachment",
      false,
      `${level} is above the attachment's ceiling, ${plan.names[attachment.ceiling]}`,
      attachment.ceilingAt,
    );
  return rulesGate(
    "attachment",
    attachment.rules,
    true,
    "the attachment",
    plan,
    logger,
    severity,
    say,
    attachment.at,
    `attached at ${via}`,
  );
}

function rulesGate(gate, rules, keeps, owner, plan, logger, severity, say, at, none) {
  const found = decided(rules, logger, severity, plan);
  let passes = keeps;
  let words = rules.length
    ? `none of ${counted(rules.length, "rule")} matches, and ${owner} ${keeps ? "keeps" : "drops"} the rest`
    : keeps
      ? none
      : `${owner} has no rules and otherwise drops`;
  if (found.rule) {
    passes = found.verdict === "keep";
    words = `rule ${found.turn} of ${owner} ${DOES[found.verdict]}${found.rule.note ? ` (${found.rule.note})` : ""}`;
  }
  const perhaps = found.perhaps.some((one) => (one.verdict === "keep") !== passes);
  if (found.perhaps.length) words = `${ifWords(found.perhaps, ` of ${owner}`)}; else ${words}`;
  return say(gate, perhaps ? null : passes, words, found.rule?.at ?? found.perhaps[0]?.rule.at ?? at);
}

const DEPENDS = ": that depends on the event itself, or on what came before it";

/** What becomes of it, and whether it arrives anywhere (null: the event itself decides): first where no rule's question about it holds, then where one does. */
export function verdict(plan, logger, severity) {
  const answer = ask(plan, logger, severity);
  const plain = sentence(ask({ ...plan, plain: true }, logger, severity));
  const open = sentence(answer);
  if (plain.words === open.words) return { ...open, answer };
  const perhaps =
    open.arrives === false
      ? "is stopped before it arrives anywhere"
      : open.words.replace(/^It /, "").replace(DEPENDS, "").replace(/\.$/, "");
  return {
    arrives: plain.arrives,
    answer,
    words: `${plain.words} If a question that a rule asks about the event itself holds, it ${perhaps}.`,
  };
}

function sentence(answer) {
  const stop = answer.early.find((one) => one.passed === false);
  if (stop)
    return {
      arrives: false,
      words: `Stopped at the ${stop.gate} gate: ${stop.words}${stop.at ? ` (${stop.at})` : ""}.`,
    };
  const names = (arrives) => [
    ...new Set(answer.lanes.filter((one) => one.arrives === arrives).map((one) => one.appender)),
  ];
  const sure = names(true);
  const perhaps = names(null).filter((one) => !sure.includes(one));
  const parts = [];
  if (sure.length) {
    const told = sure.map((name) => {
      const times = answer.lanes.filter((one) => one.appender === name && one.arrives === true).length;
      return times > 1 ? `${name} ${times} times` : name;
    });
    parts.push(`arrives in ${told.join(", ")}`);
  }
  if (perhaps.length) parts.push(`may arrive in ${perhaps.join(", ")}${DEPENDS}`);
  if (!parts.length) parts.push("arrives nowhere: every attachment that it meets stops it");
  const words = parts.join("; it ");
  return { arrives: sure.length ? true : perhaps.length ? null : false, words: `It ${words}.` };
}

// ---------------------------------------------------------------- a recording, counted

/** How many times each appender gets the events of a kind: Map from its place to times. */
export function waysOf(tree, kind, logger) {
  const { plan } = tree;
  const found = new Map();
  const { severity } = kind;
  if (kind.door === "drop") return found;
  if (kind.door !== "lift" && severity < tree.standing(logger).severity) return found;
  const closed = kind.closed?.length ? new Set(kind.closed.map(([via, place]) => `${place} ${via}`)) : null;
  const met = plan.once ? new Set() : null;
  for (const entry of tree.climb(logger)) {
    for (let place = 0; place < entry.to.length; place++) {
      const attachment = entry.to[place];
      if (severity < attachment.floor || severity > attachment.ceiling || closed?.has(`${place} ${entry.name}`)) continue;
      const at = tree.appenders.get(attachment.appender);
      if (met?.has(at)) continue;
      met?.add(at);
      const appender = plan.appenders[at];
      if (!appender.enabled || severity < appender.floor || severity > appender.ceiling) continue;
      if (kind.barred?.includes(at)) continue;
      found.set(at, (found.get(at) ?? 0) + 1);
    }
  }
  return found;
}

const sameWays = (one, other) =>
  one.size === other.size && [...one].every(([name, times]) => other.get(name) === times);

/** Which loggers a change may touch: those at and below the ones whose level it sets, all where it is about appenders. */
function touchedBy(change, separator) {
  if (change.enabled.size + change.floors.size + change.ceilings.size) return () => true;
  const names = [...change.levels.keys()];
  return names.includes(ROOT) ? () => true : (name) => names.some((one) => isBelow(name, one, separator));
}

/** The ways of all kinds under a plan; ``today``, those under the plan of which it is a ``change``, are taken where they stay. */
export function allWays(plan, traffic, today = null, change = noChange()) {
  const tree = treeOf(plan);
  const touched = today === null ? null : traffic.loggers.map(touchedBy(change, plan.separator));
  return traffic.kinds.map((kind, at) => {
    if (touched !== null && !touched[kind.logger]) return today[at];
    const ways = waysOf(tree, kind, traffic.loggers[kind.logger]);
    return today !== null && sameWays(today[at], ways) ? today[at] : ways;
  });
}

const tally = () => ({ events: 0, bytes: 0 });

function add(to, events, bytes) {
  to.events += events;
  to.bytes += bytes;
}

const BASES = new WeakMap();

/** What each appender gets on some ways, once worked out: events, bytes, bytes by day. */
function basis(plan, traffic, ways) {
  if (BASES.has(ways)) return BASES.get(ways);
  const found = plan.appenders.map(() => ({ events: 0, bytes: 0, days: traffic.days.map(() => 0) }));
  for (const [at, kind] of traffic.kinds.entries()) {
    for (const [name, times] of ways[at]) {
      const place = 2 + kind.appenders.indexOf(name);
      for (const day of kind.days) {
        add(found[name], day[1] * times, day[place] * times);
        found[name].days[day[0]] += day[place] * times;
      }
    }
  }
  BASES.set(ways, found);
  return found;
}

/** What a change does, counted: by appender, by day, and where it differs by (logger, level, appender); what falls silent, what is newly seen. */
export function compared(plan, traffic, before, after) {
  const appenders = plan.appenders.map(() => ({
    before: tally(),
    after: tally(),
    gained: tally(),
    lost: tally(),
    days: [],
  }));
  const rows = new Map();
  const turns = { silenced: new Map(), seen: new Map(), twice: new Map() };
  const atPlaces = (ways) => {
    const found = new Map();
    for (const [name, times] of ways)
      found.set(plan.appenders[name].place, (found.get(plan.appenders[name].place) ?? 0) + times);
    return found;
  };
  for (const [at, one] of basis(plan, traffic, before).entries()) {
    const found = appenders[at];
    for (const part of ["before", "after"]) add(found[part], one.events, one.bytes);
    found.days = [[...one.days], [...one.days]];
  }
  const count = (kind, name, events, was, now) => {
    const place = 2 + kind.appenders.indexOf(name);
    const found = appenders[name];
    let bytes = 0;
    for (const day of kind.days) {
      bytes += day[place];
      found.days[1][day[0]] += day[place] * (now - was);
    }
    add(found.after, events * (now - was), bytes * (now - was));
    const [part, more] = now > was ? ["gained", now - was] : ["lost", was - now];
    const key = `${kind.logger} ${kind.severity} ${name}`;
    const row = rows.get(key) ?? {
      logger: kind.logger,
      severity: kind.severity,
      appender: name,
      gained: tally(),
      lost: tally(),
    };
    rows.set(key, row);
    for (const one of [found, row]) add(one[part], events * more, bytes * more);
  };
  for (const [at, kind] of traffic.kinds.entries()) {
    const [was, now] = [before[at], after[at]];
    if (was === now) continue;
    const events = kind.days.reduce((sum, day) => sum + day[1], 0);
    if (Boolean(was.size) !== Boolean(now.size))
      turned(was.size ? turns.silenced : turns.seen, kind, events, kind.severity);
    const places = atPlaces(was);
    for (const [place, times] of atPlaces(now))
      if (place && times > 1 && (places.get(place) ?? 0) <= 1) turned(turns.twice, kind, events, place);
    for (const name of new Set([...was.keys(), ...now.keys()])) {
      const times = [was.get(name) ?? 0, now.get(name) ?? 0];
      if (times[0] !== times[1]) count(kind, name, events, ...times);
    }
  }
  for (const [at, one] of appenders.entries())
    for (const part of [one.before, one.after]) if (part.events) part.bytes += plan.appenders[at].header;
  return { appenders, rows: [...rows.values()], ...turns };
}

function turned(counts, kind, events, of) {
  const key = `${kind.logger} ${of}`;
  const known = counts.get(key) ?? { logger: kind.logger, of, events: 0 };
  known.events += events;
  counts.set(key, known);
}

/** The appenders that events of a logger and a level may reach; what only some are lifted past is not opened to the level. */
function possible(tree, logger, severity) {
  const { plan } = tree;
  const door = decided(plan.rules, logger, severity, plan);
  const settled = !door.perhaps.length;
  if (settled && door.verdict === "drop") return new Set();
  if (severity < tree.standing(logger).severity && door.verdict !== "lift") return new Set();
  const passes = (rules, keeps) => {
    const found = decided(rules, logger, severity, plan);
    return found.perhaps.length > 0 || (found.rule ? found.verdict === "keep" : keeps);
  };
  const names = tree
    .climb(logger)
    .flatMap((entry) => entry.to)
    .filter((one) => {
      const appender = plan.appenders[tree.appenders.get(one.appender)];
      const within = [one, appender].every(({ floor, ceiling }) => floor <= severity && severity <= ceiling);
      return (
        within && appender.enabled && passes(one.rules, true) && passes(appender.rules, appender.otherwise === "keep")
      );
    });
  return new Set(names.map((one) => one.appender));
}

const NOTHING = [];
const NAMED = new WeakMap();

/** The loggers that a plan names, configured ones and those of its rules, in order; whether it has rules; which of them are at and above a logger. */
function namedBy(plan) {
  if (NAMED.has(plan)) return NAMED.get(plan);
  const inside = ({ logger, exactly, not, any, all }) => [
    ...(logger ?? []),
    ...(exactly ?? []),
    ...[...(not ? [not] : []), ...(any ?? []), ...(all ?? [])].flatMap(inside),
  ];
  const rules = [...plan.rules, ...plan.appenders.flatMap((one) => one.rules)];
  for (const one of plan.loggers) for (const { rules: own } of one.to) rules.push(...own);
  const ruled = rules.flatMap((one) => inside(one.if));
  const names = new Set([ROOT, ...treeOf(plan).entries.keys(), ...ruled]);
  const deepest = ruled.reduce((most, one) => Math.max(most, one.split(plan.separator).length), treeOf(plan).deepest);
  const known = new Map();
  const above = (logger) => {
    let found = known.get(logger);
    if (found === undefined) {
      found = ancestry(logger, plan.separator, deepest).filter((one) => names.has(one));
      known.set(logger, found);
    }
    return found;
  };
  NAMED.set(plan, { names, ruled: rules.length > 0, above, sorted: [...names].filter((one) => one !== ROOT).sort() });
  return NAMED.get(plan);
}

const LOWEST = new WeakMap();

/** The lowest severity of each logger of a recording, by name, in order. */
function lowestOf(traffic) {
  if (LOWEST.has(traffic)) return LOWEST.get(traffic);
  const found = new Map();
  for (const { logger: at, severity } of traffic.kinds) {
    const logger = traffic.loggers[at];
    found.set(logger, Math.min(severity, found.get(logger) ?? severity));
  }
  LOWEST.set(traffic, new Map([...found].sort(([one], [other]) => (one < other ? -1 : 1))));
  return LOWEST.get(traffic);
}

/** What a recording cannot tell: levels that newly arrive somewhere, and of which it holds no event; see `whatif`. */
export function unheard(plan, tried, traffic, change) {
  const tuned = [...change.levels.keys()];
  const touched = touchedBy(change, plan.separator);
  const before = treeOf(plan);
  const after = treeOf(tried, before);
  const { names, ruled, above, sorted } = namedBy(plan);
  const added = tuned.filter((one) => !names.has(one));
  const levels = plan.levels.map(([, severity]) => severity);
  const known = new Map();
  const opened = (logger) => {
    const key = ruled ? logger : `${before.alike(logger)} > ${after.alike(logger)}`;
    if (!known.has(key)) {
      const more = (severity) => {
        const was = possible(before, logger, severity);
        return [...possible(after, logger, severity)].some((one) => !was.has(one));
      };
      known.set(key, levels.filter(more));
    }
    return known.get(key);
  };
  const seen = new Map();
  const opens = (logger) => {
    if (!seen.has(logger)) seen.set(logger, touched(logger) ? opened(logger) : NOTHING);
    return seen.get(logger);
  };
  const overAll = (logger) => {
    const own = added.filter((one) => isBelow(logger, one, plan.separator));
    return own.length ? [...above(logger), ...own] : above(logger);
  };
  const heard = new Map();
  for (const [logger, least] of lowestOf(traffic)) {
    for (const level of opens(logger)) {
      if (level < least) continue;
      for (const name of overAll(logger)) {
        const there = heard.get(name);
        if (there === undefined) heard.set(name, new Set([level]));
        else there.add(level);
      }
    }
  }
  const silent = new Map();
  const told = (logger, level) => silent.size > 0 && overAll(logger).some((one) => silent.get(one)?.has(level));
  const gaps = [];
  const tell = (logger, own, below) => {
    for (const [turn, level] of levels.entries()) {
      if (!own.has(level)) continue;
      if (turn && own.has(levels[turn - 1])) gaps.at(-1).high = level;
      else gaps.push({ logger, low: level, high: level, below });
    }
  };
  for (const name of [ROOT, ...(added.length ? [...sorted, ...added].sort() : sorted)]) {
    const own = new Set(opens(name).filter((one) => !heard.get(name)?.has(one) && !told(name, one)));
    if (own.size) tell(name, own, true);
    if (own.size) silent.set(name, own);
  }
  for (const [logger, least] of lowestOf(traffic)) {
    const rest = opens(logger).filter((one) => one < least && !told(logger, one));
    if (rest.length) tell(logger, new Set(rest), false);
  }
  return gaps;
}

const A_DAY = 86_400_000_000;
const SHORTEST = 60_000_000;

/** Bytes in a day: an average over whole days, else extrapolated; null of less than a minute. */
export function aDay(traffic, whole, byDay) {
  if (traffic.whole.length) {
    return rounded(traffic.whole.reduce((sum, day) => sum + (day < 0 ? 0 : byDay[day]), 0) / traffic.whole.length);
  }
  return traffic.span >= SHORTEST ? rounded(whole * (A_DAY / traffic.span)) : null;
}

// ---------------------------------------------------------------- files that roll, played

export const MOST_FILES = 100_000;

/** One rolling file under its policy; `write` and `start` take what comes in order. */
export class FileSimulation {
  constructor(policy) {
    this.policy = policy;
    this.files = [];
    this.peak = 0;
    this.clock = null;
    this.open = null;
    this.period = -1;
    this.opened = { period: null, count: 0 };
    this.closed = [];
    this.closedBytes = 0;
    this.at = new Map();
    this.numbers = new Map();
    this.until = Infinity;
    this.most = policy.at_size === null ? Infinity : policy.size_after ? policy.at_size - 1 : policy.at_size;
  }

  start(time) {
    if (this.policy.each_start) {
      this.#tick(time);
      if (this.open) this.#close();
    } else if (!this.policy.append && this.open) {
      Object.assign(this.open, { events: 0, bytes: this.policy.header, least: null, greatest: null });
    }
  }

  write(time, bytes, times) {
    const here = this.open;
    if (here !== null && here.events && time < this.until && here.bytes + bytes * times <= this.most) {
      here.events += times;
      here.bytes += bytes * times;
      if (time > here.greatest) here.greatest = time;
      else if (time < here.least) here.least = time;
      if (this.closedBytes + here.bytes > this.peak) this.peak = this.closedBytes + here.bytes;
    } else this.#write(time, bytes, times);
  }

  #write(time, bytes, times) {
    this.#tick(time);
    if (this.open && this.#isOver()) this.#close();
    let left = times;
    while (left > 0) {
      if (!this.open) this.#begin();
      const one = this.open;
      const count = this.#room(one, bytes, left);
      if (!count) {
        this.#close();
        continue;
      }
      one.events += count;
      one.bytes += bytes * count;
      one.least = one.least === null ? time : Math.min(one.least, time);
      one.greatest = one.greatest === null ? time : Math.max(one.greatest, time);
      this.peak = Math.max(this.peak, this.closedBytes + one.bytes);
      left -= count;
      if (this.policy.size_after && this.policy.at_size !== null && one.bytes >= this.policy.at_size) this.#close();
    }
  }

  #tick(time) {
    const latest = this.open?.greatest ?? null;
    const now = latest !== null && latest > time ? latest : time;
    if (this.clock === null || now > this.clock) this.clock = now;
  }

  #isOver() {
    const { periods } = this.policy;
    return Boolean(periods) && this.period + 1 < periods.length && this.clock >= periods[this.period + 1];
  }

  #room(one, bytes, left) {
    const limit = this.policy.at_size;
    if (limit === null || bytes <= 0) return left;
    if (this.policy.size_after) return Math.min(left, Math.max(1, Math.ceil((limit - one.bytes) / bytes)));
    const fits = Math.floor((limit - one.bytes) / bytes);
    if (fits >= 1) return Math.min(left, fits);
    return one.events ? 0 : 1;
  }

  #begin() {
    const { periods, path } = this.policy;
    if (periods) while (this.period + 1 < periods.length && this.clock >= periods[this.period + 1]) this.period++;
    this.until = periods && this.period + 1 < periods.length ? periods[this.period + 1] : Infinity;
    if (path.numbered || path.by_period.length > 1) {
      const again = this.opened.period === this.period && this.files.length > 0;
      this.opened = { period: this.period, count: again ? this.opened.count + 1 : 1 };
    }
    this.#overwrite(this.#name(path, this.opened.count));
    if (this.files.length >= MOST_FILES) throw new RangeError("too many files");
    this.open = {
      name: this.#name(path, this.opened.count),
      opened: this.clock,
      closed: null,
      removed: null,
      events: 0,
      bytes: this.policy.header,
      least: null,
      greatest: null,
      base: null,
      number: 0,
    };
    this.files.push(this.open);
  }

  #name(names, count) {
    const label = names.by_period[names.by_period.length > 1 ? Math.max(0, this.period) : 0];
    return names.numbered ? `${label}\0${count}` : label;
  }

  #close() {
    const one = this.open;
    one.closed = this.clock;
    this.#rename(one);
    this.open = null;
    if (!(this.policy.newest_first && this.policy.rename_to?.numbered)) this.at.set(one.name, one);
    this.closed.push(one);
    this.closedBytes += one.bytes;
    this.#prune();
  }

  #rename(one) {
    const names = this.policy.rename_to;
    if (!names || (names.numbered && this.policy.newest_first)) return;
    if (names.numbered) {
      one.base = this.#name(names, 0);
      const taken = this.numbers.get(one.base) ?? [];
      one.number = (taken.at(-1) ?? 0) + 1;
      this.numbers.set(one.base, [...taken, one.number]);
    }
    one.name = this.#name(names, one.number);
    this.#overwrite(one.name);
  }

  #overwrite(name) {
    const old = this.at.get(name);
    this.at.delete(name);
    if (!old || old.removed !== null) return;
    old.removed = this.clock;
    this.closedBytes -= old.bytes;
    this.closed.splice(this.closed.indexOf(old), 1);
  }

  #prune() {
    const { keep_age: age, keep_files: files, keep_disk: disk } = this.policy;
    let gone = 0;
    const oldest = () => this.closed[gone];
    const remove = () => {
      const one = this.closed[gone++];
      one.removed = this.clock;
      this.closedBytes -= one.bytes;
      if (this.at.get(one.name) === one) this.at.delete(one.name);
      const taken = this.numbers.get(one.base);
      if (taken)
        this.numbers.set(
          one.base,
          taken.filter((each) => each !== one.number),
        );
    };
    if (age !== null) while (oldest() && this.clock - oldest().closed > age) remove();
    if (files !== null) while (this.closed.length - gone > files) remove();
    if (disk !== null) while (oldest() && this.closedBytes > disk) remove();
    if (gone) this.closed.splice(0, gone);
  }
}

/** The history at its shortest after a deletion; without deletions, what there is at the end. In microseconds. */
export function keptHistory(files) {
  const moments = [...new Set(files.filter((one) => one.removed !== null).map((one) => one.removed))].sort(
    (a, b) => a - b,
  );
  const coming = files.filter((one) => one.least !== null).sort((a, b) => a.opened - b.opened);
  let there = [];
  let next = 0;
  let best = null;
  for (const moment of moments) {
    while (next < coming.length && coming[next].opened <= moment) there.push(coming[next++]);
    there = there.filter((one) => one.removed === null || one.removed > moment);
    if (!there.length) continue;
    const reach = Math.max(0, moment - there.reduce((least, one) => Math.min(least, one.least), Infinity));
    best = best === null ? reach : Math.min(best, reach);
  }
  if (best !== null) return best;
  const left = files.filter((one) => one.removed === null && one.least !== null);
  return left.length ? Math.max(...left.map((one) => one.greatest)) - Math.min(...left.map((one) => one.least)) : 0;
}

/** The events that may reach files that roll, unpacked: for each appender its writes, with the starts between them. */
export class Tape {
  constructor(packed, plan, traffic) {
    const rolling = traffic.kinds.map((kind) => kind.appenders.filter((at) => plan.appenders[at].policy));
    const counts = new Map(packed.odd);
    this.writes = new Map();
    const ofAppender = (at) => {
      if (!this.writes.has(at)) this.writes.set(at, { times: [], kinds: [], sizes: [], counts: [] });
      return this.writes.get(at);
    };
    const starting = plan.appenders.flatMap(({ policy }, at) =>
      policy && (policy.each_start || !policy.append) ? [at] : [],
    );
    const put = (at, time, kind, bytes, count) => {
      const one = ofAppender(at);
      one.times.push(time);
      one.kinds.push(kind);
      one.sizes.push(bytes);
      one.counts.push(count);
    };
    let [time, place] = [0, 0];
    for (const [turn, kind] of packed.kinds.entries()) {
      time += packed.times[turn];
      if (kind < 0) for (const at of starting) put(at, time, kind, 0, 0);
      else for (const at of rolling[kind]) put(at, time, kind, packed.sizes[place++], counts.get(turn) ?? 1);
    }
    for (const one of this.writes.values())
      for (const name of Object.keys(one)) one[name] = Float64Array.from(one[name]);
  }

  /** The files of one appender under some ways: {files, peak, history, removed, bounded}; null where they are too many. */
  play(at, policy, ways) {
    const file = new FileSimulation(policy);
    const { times, kinds, sizes, counts } = this.writes.get(at) ?? { times: [], kinds: [] };
    const each = Int32Array.from(ways, (one) => one.get(at) ?? 0);
    try {
      for (let turn = 0; turn < kinds.length; turn++) {
        if (kinds[turn] < 0) file.start(times[turn]);
        else if (each[kinds[turn]]) file.write(times[turn], sizes[turn], each[kinds[turn]] * counts[turn]);
      }
    } catch (error) {
      if (error instanceof RangeError) return null;
      throw error;
    }
    const removed = file.files.filter((one) => one.removed !== null).length;
    const bounded = [policy.keep_files, policy.keep_age, policy.keep_disk].some((one) => one !== null);
    return { files: file.files.length, peak: file.peak, history: keptHistory(file.files), removed, bounded };
  }
}

/** How far back files reach, as `whatif` says it. */
export function historyWords(kept) {
  if (kept.removed) return span(kept.history);
  return `${kept.bounded ? "not yet" : "never"} limited after ${span(kept.history)}`;
}

/** The same before and after a change. */
export function historyShift(was, now) {
  const [before, after] = [historyWords(was), historyWords(now)];
  if (was.removed || now.removed || was.bounded !== now.bounded) return `${before} > ${after}`;
  return before === after ? after : `${before} > ${after}`;
}

export async function unpacked(text) {
  const bytes = Uint8Array.from(atob(text), (char) => char.charCodeAt(0));
  const stream = new Blob([bytes]).stream().pipeThrough(new DecompressionStream("deflate"));
  return JSON.parse(await new Response(stream).text());
}

// ---------------------------------------------------------------- the change as options, and as an address

/** A name as a path of `--set` wants it. */
function step(name) {
  return /[[\]"']/.test(name) ? `["${name}"]` : `[${name}]`;
}

/** A change as the words that follow `--tune` and `--set`: [[option, value], …]. */
export function optionsOf(plan, change) {
  const sets = [];
  for (const [name, on] of change.enabled) sets.push(["--set", `appenders${step(name)}.enabled=${on}`]);
  for (const [name, severity] of change.floors)
    sets.push(["--set", `appenders${step(name)}.floor=${plan.names[severity]}`]);
  for (const [name, severity] of change.ceilings)
    sets.push(["--set", `appenders${step(name)}.ceiling=${plan.names[severity]}`]);
  for (const [name, severity] of change.levels) sets.push(["--tune", `${name}=${plan.names[severity]}`]);
  return sets;
}

/** A text as one word of a POSIX shell. */
export function quoted(text) {
  return /^[\w@%+=:,./-]+$/.test(text) ? text : `'${text.replaceAll("'", `'"'"'`)}'`;
}

/** A change as a part of an address; `asked` is {logger, severity} of the question. */
export function fragment(change, asked) {
  const found = new URLSearchParams();
  for (const [name, severity] of change.levels) found.append("level", `${severity} ${name}`);
  for (const [name, on] of change.enabled) found.append("on", `${on ? 1 : 0} ${name}`);
  for (const [name, severity] of change.floors) found.append("floor", `${severity} ${name}`);
  for (const [name, severity] of change.ceilings) found.append("ceiling", `${severity} ${name}`);
  if (asked?.logger) found.append("ask", `${asked.severity} ${asked.logger}`);
  return found.toString();
}

/** What a part of an address says; what this plan does not have is left out, and told under `odd`. */
export function readFragment(plan, text) {
  const change = noChange();
  const odd = [];
  let asked = null;
  const appenders = new Set(plan.appenders.map((one) => one.name));
  for (const [key, value] of new URLSearchParams(text)) {
    const [, digits, name] = /^(\d{1,2}) ([^]+)$/.exec(value) ?? [];
    const severity = Number(digits);
    if (name === undefined || severity > 25 || !(key === "level" || key === "ask" || appenders.has(name)))
      odd.push(`${key}=${value}`);
    else if (key === "level") change.levels.set(name, severity);
    else if (key === "on") change.enabled.set(name, severity === 1);
    else if (key === "floor") change.floors.set(name, severity);
    else if (key === "ceiling") change.ceilings.set(name, severity);
    else if (key === "ask" && severity >= 1 && severity <= 24) asked = { logger: name, severity };
    else odd.push(`${key}=${value}`);
  }
  return { change, asked, odd };
}

// ---------------------------------------------------------------- the page itself

const FIRST_ROWS = 50;
const PRINTED_ROWS = 2000;
const FIRST_NAMES = 30;

/** An element with attributes (`class`, `id`, `on…` functions) and children; texts are texts, never markup. */
function el(tag, attributes = {}, ...children) {
  const found = document.createElement(tag);
  for (const [name, value] of Object.entries(attributes)) {
    if (name.startsWith("on")) found.addEventListener(name.slice(2), value);
    else if (value === true) found.setAttribute(name, "");
    else if (value !== false && value !== null && value !== undefined) found.setAttribute(name, value);
  }
  for (const child of children.flat())
    if (child !== null && child !== undefined && child !== "")
      found.append(child instanceof Node ? child : shown(child));
  return found;
}

/** A table that can be sorted by each column and filtered; `columns` are {title, of, show, count, css, indent}. */
class SortedTable {
  constructor(caption, columns, rows, { filter = true, none = "Nothing." } = {}) {
    Object.assign(this, { columns, rows, none, most: FIRST_ROWS, sorted: null, down: false, wanted: "" });
    this.body = el("tbody");
    this.heads = columns.map((column, at) =>
      el(
        "th",
        { scope: "col", class: column.count ? "count" : null },
        el("button", { type: "button", onclick: () => this.sort(at) }, column.title),
      ),
    );
    this.left = el("p", { class: "quiet", role: "status" });
    const box = el("input", {
      type: "search",
      id: `filter-${SortedTable.made++}`,
      spellcheck: "false",
      oninput: () => this.filter(box.value),
    });
    const tools =
      filter && rows.length > 8
        ? el(
            "div",
            { class: "tools" },
            el("div", {}, el("label", { for: box.id }, `Only rows of “${caption}” that hold`), box),
          )
        : null;
    const table = el("table", {}, el("caption", {}, caption), el("thead", {}, el("tr", {}, this.heads)), this.body);
    this.node = el(
      "div",
      {},
      tools,
      el("div", { class: "wide", tabindex: "0", role: "group", "aria-label": caption }, table),
      this.left,
    );
    this.draw();
    SortedTable.all.add(new WeakRef(this));
  }

  /** Paper cannot be asked for more: what is printed has its rows, and what is folded is open. */
  static beforePrint() {
    for (const one of SortedTable.all) {
      const table = one.deref();
      if (!table) SortedTable.all.delete(one);
      else if (table.node.isConnected && table.most < PRINTED_ROWS) {
        table.most = PRINTED_ROWS;
        table.draw();
      }
    }
    for (const one of document.querySelectorAll("details")) one.open = true;
  }

  sort(at) {
    this.down = this.sorted === at ? !this.down : Boolean(this.columns[at].count);
    this.sorted = at;
    this.heads.forEach((head, turn) =>
      turn === at
        ? head.setAttribute("aria-sort", this.down ? "descending" : "ascending")
        : head.removeAttribute("aria-sort"),
    );
    this.draw();
  }

  filter(text) {
    this.wanted = text.toLowerCase();
    this.draw();
  }

  shownRows() {
    const text = (row) =>
      this.columns
        .map((column) => String(column.show ? column.show(row) : column.of(row)))
        .join("\n")
        .toLowerCase();
    const found = this.wanted ? this.rows.filter((row) => text(row).includes(this.wanted)) : [...this.rows];
    if (this.sorted === null) return found;
    const { of } = this.columns[this.sorted];
    const compare = (one, other) =>
      typeof one === "number" && typeof other === "number"
        ? one - other
        : String(one).localeCompare(String(other), "en");
    return found.sort((one, other) => compare(of(one), of(other)) * (this.down ? -1 : 1));
  }

  draw() {
    const found = this.shownRows();
    const rows = found.slice(0, this.most).map((row) =>
      el(
        "tr",
        {},
        this.columns.map((column) => {
          const cell = el(
            "td",
            { class: column.count ? "count" : (column.css ?? null) },
            column.node ? column.node(row) : String(column.show ? column.show(row) : column.of(row)),
          );
          if (column.indent) cell.style.paddingLeft = `${0.6 + 0.9 * Math.min(column.indent(row), 6)}rem`;
          return cell;
        }),
      ),
    );
    this.body.replaceChildren(...rows);
    this.left.replaceChildren();
    if (!found.length) this.left.append(this.wanted ? "No row holds that." : this.none);
    else if (found.length > this.most) {
      this.left.append(`${number(this.most)} of ${counted(found.length, "row")} are shown. `);
      const all = () => {
        this.most = Infinity;
        this.draw();
      };
      this.left.append(el("button", { type: "button", onclick: all }, `Show all ${number(found.length)}`));
    }
  }
}
SortedTable.made = 1;
SortedTable.all = new Set();

/** A field that offers the names which hold what was typed (the combobox pattern of WAI-ARIA). */
class Picker {
  constructor(input, names, picked) {
    Object.assign(this, { input, names, picked, at: -1, offered: [] });
    this.list = el("ul", { role: "listbox", id: `${input.id}-names`, "aria-label": "Loggers", hidden: true });
    input.after(this.list);
    for (const [name, value] of [
      ["role", "combobox"],
      ["aria-expanded", "false"],
      ["aria-controls", this.list.id],
      ["aria-autocomplete", "list"],
    ])
      input.setAttribute(name, value);
    input.addEventListener("input", () => this.offer());
    input.addEventListener("keydown", (event) => this.key(event));
    input.addEventListener("blur", () => this.close());
  }

  offer() {
    const text = this.input.value.trim().toLowerCase();
    const found = text ? this.names.filter((name) => name.toLowerCase().includes(text)) : this.names;
    this.offered = found.slice(0, FIRST_NAMES);
    this.at = -1;
    const rows = this.offered.map((name, at) =>
      el(
        "li",
        {
          role: "option",
          id: `${this.list.id}-${at}`,
          "aria-selected": "false",
          onmousedown: (event) => this.pick(at, event),
        },
        name,
      ),
    );
    if (found.length > FIRST_NAMES)
      rows.push(
        el(
          "li",
          { class: "more", role: "option", "aria-disabled": "true", "aria-selected": "false" },
          `and ${counted(found.length - FIRST_NAMES, "more logger")}: type more of the name`,
        ),
      );
    this.list.replaceChildren(...rows);
    this.list.hidden = !rows.length;
    this.input.setAttribute("aria-expanded", String(!this.list.hidden));
    this.input.removeAttribute("aria-activedescendant");
  }

  key(event) {
    if (event.key === "Escape") this.close();
    if (event.key === "Enter" && this.at >= 0 && !this.list.hidden) this.pick(this.at, event);
    if (event.key !== "ArrowDown" && event.key !== "ArrowUp") return;
    event.preventDefault();
    if (this.list.hidden) this.offer();
    if (!this.offered.length) return;
    this.at =
      (this.at + (event.key === "ArrowDown" ? 1 : this.at < 0 ? 0 : -1) + this.offered.length) % this.offered.length;
    this.offered.forEach((_, turn) => this.list.children[turn].setAttribute("aria-selected", String(turn === this.at)));
    this.list.children[this.at].scrollIntoView({ block: "nearest" });
    this.input.setAttribute("aria-activedescendant", this.list.children[this.at].id);
  }

  pick(at, event) {
    event.preventDefault();
    this.input.value = this.offered[at];
    this.close();
    this.picked?.();
  }

  close() {
    this.list.hidden = true;
    this.input.setAttribute("aria-expanded", "false");
    this.input.removeAttribute("aria-activedescendant");
  }
}

const byId = (id) => document.getElementById(id);
const signed = (count, text) => `${count > 0 ? "+" : count < 0 ? "-" : "±"}${text}`;

const AT_ONCE = 5_000;

class Page {
  constructor(data) {
    this.data = data;
    this.plan = data.plan;
    this.traffic = data.traffic;
    this.change = noChange();
    this.asked = null;
    this.tape = null;
    this.today = this.traffic ? allWays(this.plan, this.traffic) : [];
    this.played = new Map();
    this.loggers = [...new Set([ROOT, ...this.plan.loggers.map((one) => one.name), ...(this.traffic?.loggers ?? [])])];
  }

  /** Show everything that does not depend on a change, and wire the forms up. */
  begin() {
    const levels = (select, extra) => {
      const choices = [...(extra ? [["all", 0]] : []), ...this.plan.levels, ...(extra ? [["off", 25]] : [])];
      select.replaceChildren(...choices.map(([name, severity]) => el("option", { value: severity }, name)));
      select.value = "5";
    };
    levels(byId("ask-level"), false);
    for (const id of ["try-level", "try-bound"]) levels(byId(id), true);
    byId("try-appender").replaceChildren(
      ...this.plan.appenders.map((one, at) => el("option", { value: at }, one.name)),
    );
    new Picker(byId("ask-logger"), this.loggers, () => this.ask());
    new Picker(byId("try-logger"), this.loggers, null);
    const submits = (id, act) =>
      byId(id).addEventListener("submit", (event) => {
        event.preventDefault();
        act();
      });
    submits("ask-form", () => this.ask());
    byId("ask-level").addEventListener("change", () => this.ask());
    submits("try-level-form", () => this.setLevel());
    submits("try-appender-form", () => this.setAppender());
    byId("try-what").addEventListener(
      "change",
      () => (byId("try-bound-part").hidden = !["floor", "ceiling"].includes(byId("try-what").value)),
    );
    window.addEventListener("beforeprint", () => SortedTable.beforePrint());
    window.addEventListener("hashchange", () => this.readAddress());
    this.readAddress();
    setTimeout(() => this.fill());
  }

  /** What lies further down comes after the answer to what the address asks. */
  fill() {
    this.showTables();
    if (this.traffic) {
      lowestOf(this.traffic); // what every answer needs is worked out once, before the first is asked for
      basis(this.plan, this.traffic, this.today);
      for (const one of namedBy(this.plan).sorted) treeOf(this.plan).alike(one);
    }
    if (this.traffic?.tape) unpacked(this.traffic.tape).then((packed) => this.begun(packed));
    else this.allThere();
  }

  allThere() {
    this.filled = true;
    this.ready();
  }

  begun(packed) {
    this.tape = new Tape(packed, this.plan, this.traffic);
    for (const [at, one] of this.plan.appenders.entries())
      if (one.policy) this.played.set(at, this.tape.play(at, one.policy, this.today));
    if (this.some) this.count();
    this.allThere();
  }

  readAddress() {
    const text = location.hash.slice(1);
    if (text && !text.includes("=")) return; // a part of the page
    const opening = text ? readFragment(this.plan, text) : readFragment(this.plan, this.data.opening);
    this.change = opening.change;
    if (opening.asked) {
      byId("ask-logger").value = opening.asked.logger;
      byId("ask-level").value = String(opening.asked.severity);
      this.asked = opening.asked;
    }
    this.odd = opening.odd;
    this.show();
  }

  changed() {
    history.replaceState(null, "", `#${fragment(this.change, this.asked)}`);
    this.odd = [];
    this.show();
  }

  ask() {
    const logger = byId("ask-logger").value.trim();
    if (!logger) return;
    this.asked = { logger, severity: Number(byId("ask-level").value) };
    this.changed();
  }

  setLevel() {
    const logger = byId("try-logger").value.trim();
    if (!logger) return;
    this.change.levels.set(logger, Number(byId("try-level").value));
    this.changed();
  }

  setAppender() {
    const { name } = this.plan.appenders[Number(byId("try-appender").value)];
    const what = byId("try-what").value;
    if (what === "on" || what === "off") this.change.enabled.set(name, what === "on");
    else (what === "floor" ? this.change.floors : this.change.ceilings).set(name, Number(byId("try-bound").value));
    this.changed();
  }

  show() {
    this.tried = applied(this.plan, this.change);
    treeOf(this.tried, treeOf(this.plan));
    this.some = Object.values(this.change).some((one) => one.size);
    this.showChanges();
    this.showAnswer();
    this.count();
  }

  /** Count what the change does; where that is much, the answer is shown first, and the page says that it counts. */
  count() {
    const turn = (this.turn = (this.turn ?? 0) + 1);
    this.counting = false;
    if (!this.some || this.plan.loggers.length + (this.traffic?.kinds.length ?? 0) < AT_ONCE) return this.showEffects();
    this.counting = true;
    delete document.documentElement.dataset.ready;
    byId("try-said").replaceChildren(el("p", { class: "depends" }, "Counting …"));
    byId("try-answer").replaceChildren();
    return requestAnimationFrame(() =>
      setTimeout(() => {
        if (turn !== this.turn) return;
        this.counting = false;
        this.showEffects();
        this.ready();
      }),
    );
  }

  /** Tell that all is there that was asked for. */
  ready() {
    if (this.filled && !this.counting) document.documentElement.dataset.ready = "1";
  }

  // -------------------------------------------------------------- ask

  showAnswer() {
    const into = byId("ask-answer");
    if (!this.asked) return into.replaceChildren();
    const { logger, severity } = this.asked;
    const today = verdict(this.plan, logger, severity);
    const then = this.some ? verdict(this.tried, logger, severity) : today;
    const { answer } = then;
    const nodes = [el("h3", {}, `${this.plan.names[severity]} of ${logger}`)];
    const said = ({ arrives, words }, lead) =>
      el("p", { class: `said ${arrives ? "good" : arrives === null ? "depends" : "bad"}` }, lead + words);
    if (this.some && today.words === then.words)
      nodes.push(said(today, "Today, and with the change that is tried below: "));
    else if (this.some) nodes.push(said(today, "Today: "), said(then, "With the change that is tried below: "));
    else nodes.push(said(today, ""));
    if (!this.loggers.includes(logger))
      nodes.push(
        el(
          "p",
          { class: "quiet" },
          `Neither the plan nor the recording names ${logger}: it is treated as any logger below ${answer.lanes[0]?.via ?? treeOf(this.tried, treeOf(this.plan)).climb(logger)[0]?.name ?? ROOT}.`,
        ),
      );
    nodes.push(gates(answer.early));
    for (const one of answer.lanes) {
      const word = one.arrives ? "arrives" : one.arrives === null ? "may arrive" : "does not arrive";
      nodes.push(
        el("h4", {}, `to ${one.appender} (${one.sink}), attached at ${one.via}: ${word}`),
        gates(one.steps),
        this.sample(one, logger, severity),
      );
    }
    into.replaceChildren(...nodes.filter(Boolean));
  }

  /** The line as a sink would show it: of the same logger and level where the recording has one, else the nearest that it has. */
  sample(one, logger, severity) {
    if (!this.traffic || one.arrives === false) return null;
    const at = this.plan.appenders.findIndex((each) => each.name === one.appender);
    const name = (kind) => this.traffic.loggers[kind.logger];
    const there = this.traffic.kinds.filter((kind) => kind.lines && kind.appenders.includes(at));
    const tests = [
      [(kind) => name(kind) === logger && kind.severity === severity, "The first line of this logger and level"],
      [(kind) => name(kind) === logger, "No such event is recorded. A line of the same logger"],
      [() => true, "No such event is recorded. A line of another logger"],
    ];
    for (const [test, words] of tests) {
      const kind = there.find(test);
      if (kind)
        return el(
          "div",
          {},
          el(
            "p",
            { class: "quiet" },
            `${words}, as this sink shows it (${name(kind)}, ${this.plan.names[kind.severity]}):`,
          ),
          el("pre", { tabindex: "0" }, kind.lines[kind.appenders.indexOf(at)] || "(an empty line)"),
        );
    }
    return el("p", { class: "quiet" }, "The recording holds no line for this sink.");
  }

  // -------------------------------------------------------------- try

  showChanges() {
    const name = (severity) => this.plan.names[severity];
    const chips = [];
    const chip = (words, from, key) =>
      chips.push(
        el(
          "li",
          {},
          words,
          el(
            "button",
            { type: "button", "aria-label": `Take back: ${words}`, onclick: () => this.takeBack(from, key) },
            "take back",
          ),
        ),
      );
    for (const [logger, severity] of this.change.levels)
      chip(
        `${logger} at ${name(severity)} (today ${name(treeOf(this.plan).standing(logger).severity)})`,
        this.change.levels,
        logger,
      );
    for (const [one, on] of this.change.enabled) chip(`${one} switched ${on ? "on" : "off"}`, this.change.enabled, one);
    for (const [one, severity] of this.change.floors)
      chip(`floor of ${one}: ${name(severity)}`, this.change.floors, one);
    for (const [one, severity] of this.change.ceilings)
      chip(`ceiling of ${one}: ${name(severity)}`, this.change.ceilings, one);
    const nodes = [];
    if (this.odd?.length)
      nodes.push(
        el(
          "p",
          { class: "bad" },
          `The address asks for what this page does not know, which is left out: ${this.odd.join(", ")}`,
        ),
      );
    if (chips.length) {
      const words = optionsOf(this.plan, this.change)
        .map((pair) => pair.map(quoted).join(" "))
        .join(" ");
      nodes.push(
        el("ul", { class: "changes" }, chips),
        this.copied("As options of the tool:", words),
        this.copied("This page with it:", `${location.href.split("#")[0]}#${fragment(this.change, this.asked)}`),
      );
    } else nodes.push(el("p", { class: "quiet" }, "Nothing is tried yet: all stands as it does today."));
    byId("try-changes").replaceChildren(...nodes);
  }

  copied(title, text) {
    const told = el("span", { role: "status" });
    const copy = () =>
      navigator.clipboard.writeText(text).then(
        () => told.replaceChildren("copied"),
        () => told.replaceChildren("this browser lets no page copy: select the text"),
      );
    return el(
      "div",
      { class: "copy" },
      el("div", { class: "quiet" }, title),
      el("pre", { tabindex: "0", "aria-label": title }, text),
      el("button", { type: "button", onclick: copy }, "Copy"),
      told,
    );
  }

  takeBack(from, key) {
    from.delete(key);
    this.changed();
    byId("try-logger").focus();
  }

  showEffects() {
    const [said, into] = [byId("try-said"), byId("try-answer")];
    said.replaceChildren();
    into.replaceChildren();
    if (!this.some) return;
    if (!this.traffic)
      return said.replaceChildren(
        el(
          "p",
          {},
          "This page holds no recording: what the change gains and loses is not known. The answer above shows the gates with it.",
        ),
      );
    const after = allWays(this.tried, this.traffic, this.today, this.change);
    const found = compared(this.plan, this.traffic, this.today, after);
    this.effects = found;
    said.replaceChildren(
      el("p", { class: "said" }, this.sentence(found)),
      ...this.turnedWords(found).map((words) => el("p", {}, words)),
      ...this.unheardWords(),
    );
    into.replaceChildren(
      this.sinks(found),
      ...this.rolled(after),
      this.whose(found),
      ...this.needsTool().map((words) => el("p", { class: "depends" }, words)),
    );
  }

  sentence({ appenders }) {
    const much = (sign, { events, bytes }) => `${sign}${counted(events, "event")}, ${size(bytes)}`;
    const list = (part, sign) =>
      appenders
        .map((one, at) => [one[part], this.plan.appenders[at]])
        .filter(([one, { memory }]) => one.events && !memory)
        .sort(([one], [other]) => other.bytes - one.bytes)
        .map(([one, { name }]) => `${name} (${much(sign, one)})`);
    const [more, less] = [list("gained", "+"), list("lost", "-")];
    if (!this.traffic.events) return "The recording holds no event: nothing can be counted.";
    if (!more.length && !less.length)
      return "For these events nothing changes at any appender that this page can count.";
    const words = [
      more.length ? `more goes to ${more.join(", ")}` : "",
      less.length ? `less to ${less.join(", ")}` : "",
    ]
      .filter(Boolean)
      .join(" and ");
    return `Over these events, ${words}.`;
  }

  /** What these events cannot tell: a count of nothing must not be taken for nothing. */
  unheardWords() {
    const gaps = unheard(this.plan, this.tried, this.traffic, this.change);
    const levels = ({ low, high }) =>
      low === high ? this.plan.names[low] : `${this.plan.names[low]} to ${this.plan.names[high]}`;
    const whole = gaps
      .filter((one) => one.below)
      .map(
        (one) =>
          `These events hold nothing at ${levels(one)} from ${one.logger} and below it that the change lets through, so they cannot tell what the change would add there; a recording made at ${this.plan.names[one.low]} can.`,
      );
    const alone = new Map();
    for (const one of gaps) if (!one.below) alone.set(levels(one), [...(alone.get(levels(one)) ?? []), one.logger]);
    const single = [...alone].map(
      ([words, names]) =>
        `These events hold nothing at ${words} from ${[...new Set(names)].join(", ")}; whether there are any cannot be told.`,
    );
    const lead = whole.length
      ? ["Of what the change lets through the recording holds a part not at all, so these counts may say too little."]
      : [];
    return [...lead, ...whole, ...single].map((words) => el("p", { class: "depends" }, words));
  }

  turnedWords({ silenced, seen, twice }) {
    if (this.plan.appenders.some((one) => one.memory)) return [];
    const sum = (counts) => [...counts.values()].reduce((whole, one) => whole + one.events, 0);
    const words = [];
    if (silenced.size)
      words.push(`${counted(sum(silenced), "event")} that arrive somewhere today arrive nowhere then.`);
    for (const one of twice.values())
      words.push(
        `Twice then: ${this.traffic.loggers[one.logger]} at ${this.plan.appenders.find(({ place }) => place === one.of).sink}, ${counted(one.events, "event")}.`,
      );
    if (seen.size) words.push(`${counted(sum(seen), "event")} that arrive nowhere today arrive somewhere then.`);
    return words;
  }

  sinks({ appenders }) {
    const rows = appenders
      .map((one, at) => ({ ...one, one: this.plan.appenders[at] }))
      .filter((row) => !row.one.memory);
    const day = (row, side) => aDay(this.traffic, row[side ? "after" : "before"].bytes, row.days[side]);
    const mark = (bytes) =>
      bytes === null ? "not known" : (bytes && !this.traffic.whole.length ? "~" : "") + size(bytes);
    const change = (count, sign) => (count ? `${sign}${number(count)}` : "·");
    const columns = [
      { title: "appender", of: (row) => row.one.name, css: "name" },
      { title: "events today", of: (row) => row.before.events, show: (row) => number(row.before.events), count: true },
      { title: "then", of: (row) => row.after.events, show: (row) => number(row.after.events), count: true },
      { title: "gained", of: (row) => row.gained.events, show: (row) => change(row.gained.events, "+"), count: true },
      { title: "lost", of: (row) => row.lost.events, show: (row) => change(row.lost.events, "-"), count: true },
      { title: "bytes a day today", of: (row) => day(row, 0) ?? -1, show: (row) => mark(day(row, 0)), count: true },
      { title: "bytes a day then", of: (row) => day(row, 1) ?? -1, show: (row) => mark(day(row, 1)), count: true },
    ];
    const node = new SortedTable("What each appender gains and loses", columns, rows, {
      none: "No appender can be counted here.",
    }).node;
    return el(
      "div",
      { id: "try-sinks" },
      node,
      el(
        "p",
        { class: "quiet" },
        `A day: ${this.traffic.pace}${this.traffic.whole.length || this.traffic.span < SHORTEST ? "" : "; ~ is extrapolated"}.`,
      ),
    );
  }

  rolled(after) {
    const rows = [];
    const untold = [];
    for (const [at, one] of this.plan.appenders.entries()) {
      if (one.untold)
        untold.push(`Files of ${one.name}: ${one.untold}. What history is left needs the tool (vetrina whatif).`);
      if (!one.policy) continue;
      if (!this.traffic.taped) {
        untold.push(
          `Files of ${one.name}: the recording is too long for a page, so what history is left needs the tool (vetrina whatif).`,
        );
        continue;
      }
      if (!this.tape) continue;
      const was = this.played.get(at);
      const same = this.today.every((ways, turn) => ways.get(at) === after[turn].get(at));
      const now = same ? was : this.tape.play(at, one.policy, after);
      if (was && now) rows.push({ one, was, now });
      else
        untold.push(
          `Files of ${one.name}: they would be more than ${number(MOST_FILES)}, which needs the tool (vetrina whatif).`,
        );
    }
    const words = untold.map((text) => el("p", { class: "depends" }, text));
    if (!rows.length) return words;
    const disk = ({ one, was, now }) =>
      one.policy.packed ? "not known here" : `${size(was.peak)} > ${size(now.peak)}`;
    const columns = [
      { title: "files of", of: ({ one }) => one.name, css: "name" },
      {
        title: "files, today > then",
        of: ({ now }) => now.files,
        show: ({ was, now }) => `${number(was.files)} > ${number(now.files)}`,
      },
      { title: "disk at most", of: ({ now }) => now.peak, show: disk },
      { title: "history left", of: ({ now }) => now.history, show: ({ was, now }) => historyShift(was, now) },
    ];
    const notes = [];
    if (rows.some(({ now }) => now.bounded && !now.removed))
      notes.push("Not yet limited: no limit acts within the recording, so what history is left it cannot tell.");
    if (rows.some(({ one }) => one.policy.packed))
      notes.push("Disk of packed files: how small they become only packing tells (vetrina whatif).");
    return [
      el(
        "div",
        { id: "try-files" },
        new SortedTable("Files that roll", columns, rows, { filter: false }).node,
        ...notes.map((text) => el("p", { class: "quiet" }, text)),
      ),
      ...words,
    ];
  }

  whose({ rows }) {
    const moved = rows
      .filter((row) => (row.gained.events || row.lost.events) && !this.plan.appenders[row.appender].memory)
      .sort((one, other) => other.gained.bytes - one.gained.bytes || other.lost.bytes - one.lost.bytes);
    const columns = [
      { title: "logger", of: (row) => this.traffic.loggers[row.logger], css: "name" },
      { title: "level", of: (row) => row.severity, show: (row) => this.plan.names[row.severity] },
      { title: "appender", of: (row) => this.plan.appenders[row.appender].name, css: "name" },
      {
        title: "gained",
        of: (row) => row.gained.events,
        show: (row) => (row.gained.events ? signed(1, number(row.gained.events)) : "·"),
        count: true,
      },
      {
        title: "bytes",
        of: (row) => row.gained.bytes,
        show: (row) => (row.gained.events ? size(row.gained.bytes) : "·"),
        count: true,
      },
      {
        title: "lost",
        of: (row) => row.lost.events,
        show: (row) => (row.lost.events ? signed(-1, number(row.lost.events)) : "·"),
        count: true,
      },
    ];
    return new SortedTable("Whose messages", columns, moved, { none: "Nobody's." }).node;
  }

  needsTool() {
    const some = this.plan.appenders.filter((one) => one.memory);
    const words = some.map(
      (one) =>
        `${one.name} has ${one.memory}: what it gets depends on what came before, so this page has no figures for it. Ask the tool: vetrina whatif.`,
    );
    if (some.length)
      words.push(
        "Which events would arrive nowhere any more, newly somewhere, or twice, this page does not tell for the same reason.",
      );
    return words;
  }

  // -------------------------------------------------------------- see

  showTables() {
    const makers = {
      loggers: () => this.loggerTable(),
      matrix: () => this.matrix(),
      lines: () => this.lineTable(),
      files: (at) => this.fileTable(at),
    };
    for (const place of document.querySelectorAll("[data-table]"))
      place.replaceChildren(...[makers[place.dataset.table](Number(place.dataset.at))].flat());
  }

  loggerTable() {
    const tree = treeOf(this.plan);
    const rows = this.data.rows;
    const note = (row) =>
      [
        row.enabled ? "" : "off duty: as if it were not there",
        row.climb || row.to.includes("climbs no further") ? "" : "climbs no further",
        row.note,
      ]
        .filter(Boolean)
        .join("; ");
    const columns = [
      { title: "logger", of: (row) => row.logger, css: "name", indent: (row) => row.depth },
      { title: "set", of: (row) => row.set ?? -1, show: (row) => (row.set === null ? "·" : this.plan.names[row.set]) },
      {
        title: "in force",
        of: (row) => tree.standing(row.logger).severity,
        show: (row) => this.plan.names[tree.standing(row.logger).severity],
      },
      { title: "comes from", of: (row) => row.from },
      { title: "delivers to", of: (row) => row.to || "nowhere", css: "name" },
      { title: "remarks", of: note, css: "name" },
    ];
    return new SortedTable("Loggers", columns, rows).node;
  }

  matrix() {
    const some = this.plan.appenders.map((one, at) => [one, at]);
    const cells = new Map();
    for (const [at, kind] of this.traffic.kinds.entries()) {
      const key = `${kind.logger} ${kind.severity}`;
      const row = cells.get(key) ?? {
        logger: this.traffic.loggers[kind.logger],
        severity: kind.severity,
        events: 0,
        reached: this.plan.appenders.map(() => 0),
      };
      cells.set(key, row);
      const events = kind.days.reduce((sum, [, count]) => sum + count, 0);
      row.events += events;
      for (const [name, times] of this.today[at]) row.reached[name] += events * times;
    }
    const rows = [...cells.values()].sort((one, other) =>
      one.logger < other.logger ? -1 : one.logger > other.logger ? 1 : one.severity - other.severity,
    );
    const columns = [
      { title: "logger", of: (row) => row.logger, css: "name" },
      { title: "level", of: (row) => row.severity, show: (row) => this.plan.names[row.severity] },
      { title: "events", of: (row) => row.events, show: (row) => number(row.events), count: true },
      ...some.map(([one, at]) => ({
        title: one.memory ? `${one.name} (before its limits)` : one.name,
        of: (row) => row.reached[at],
        show: (row) => (row.reached[at] ? number(row.reached[at]) : "·"),
        count: true,
      })),
    ];
    return new SortedTable("Which events reach which appender", columns, rows).node;
  }

  lineTable() {
    const rows = this.traffic.kinds.flatMap((kind, at) =>
      kind.lines
        ? [...this.today[at].keys()].map((name) => ({ kind, name, line: kind.lines[kind.appenders.indexOf(name)] }))
        : [],
    );
    rows.sort((one, other) => one.name - other.name);
    const columns = [
      { title: "appender", of: ({ name }) => this.plan.appenders[name].name, css: "name" },
      { title: "logger", of: ({ kind }) => this.traffic.loggers[kind.logger], css: "name" },
      { title: "level", of: ({ kind }) => kind.severity, show: ({ kind }) => this.plan.names[kind.severity] },
      { title: "line", of: ({ line }) => line, css: "line" },
    ];
    return new SortedTable("Lines", columns, rows).node;
  }

  fileTable(at) {
    const { rows, appender } = this.data.files[at];
    const columns = [
      { title: "file", of: (row) => row.name, css: "name" },
      { title: "opened", of: (row) => row.opened },
      { title: "closed", of: (row) => row.closed ?? "", show: (row) => row.closed ?? "still open" },
      { title: "why", of: (row) => row.reason ?? "" },
      { title: "events", of: (row) => row.events, show: (row) => number(row.events), count: true },
      { title: "on disk", of: (row) => row.disk, show: (row) => size(row.disk), count: true },
      { title: "removed", of: (row) => row.removed ?? "" },
    ];
    return new SortedTable(`Files of ${appender}`, columns, rows).node;
  }
}

function gates(steps) {
  const words = (passed) => (passed === null ? "depends" : passed ? "passes" : "STOPS");
  const css = (passed) => (passed === null ? "depends" : passed ? "good" : "bad");
  return el(
    "ul",
    { class: "gates" },
    steps.map((one) =>
      el(
        "li",
        {},
        el("div", {}, one.gate),
        el("div", { class: css(one.passed) }, words(one.passed)),
        el("div", {}, one.words, one.at ? el("span", { class: "at" }, ` (${one.at})`) : null),
      ),
    ),
  );
}

/** The page is shown first as it stands, and then filled. */
if (typeof document !== "undefined") {
  requestAnimationFrame(() => setTimeout(() => new Page(JSON.parse(byId("data").textContent)).begin()));
}
