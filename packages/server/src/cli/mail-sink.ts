import { Command } from "commander";
import { startMailSink } from "../domains/notifications/mail-sink/sink.js";
import { loadConfig } from "../kernel/config/config.js";
import { givenSettings } from "../kernel/role-input.js";

export const mailSinkCommand = (): Command =>
  new Command("mail-sink").action(async () => {
    const config = (await givenSettings()) ?? loadConfig(process.env);
    const stop = await startMailSink(config.HALVIK_DATA_DIR, config.HALVIK_MAIL_SINK_PORT);
    console.log(`Takes mail at smtp://127.0.0.1:${config.HALVIK_MAIL_SINK_PORT} and keeps it`);
    const end = () => void stop().then(() => process.exit(0));
    process.once("SIGTERM", end);
    process.once("SIGINT", end);
    process.once("disconnect", end);
    process.send?.("ready");
  });
