// The ticket office of the ropeway: made up, to be surveyed and never run.
import { makeLogger } from "./logs";

const log = makeLogger("ropeway.fare.pass");

export function sell(pass: Pass, office: string): void {
  log.info(`pass ${pass.kind} sold in ${office}`, { price: pass.price });
  if (pass.price <= 0) {
    log.error("pass without a price", new Error("price"));
  }
}

export function trace(level: string, text: string): void {
  log.log(level, text);
}
