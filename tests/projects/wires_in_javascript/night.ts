type Log = { line(text: string, more?: object): void };
export const run = async (arrival: { hour: string; name: string }, log: Log): Promise<void> => {
  log.line(`night ${arrival.name} ${arrival.hour}`);
};
