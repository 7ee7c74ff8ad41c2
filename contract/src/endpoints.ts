import { calendars } from './calendars.ts';
import { claims, release } from './claims.ts';
import { corrections } from './corrections.ts';
import { databases } from './databases.ts';
import type { AnyEndpoint } from './endpoint.ts';
import { events } from './events.ts';
import { intake, jobs, loads, settings } from './intake.ts';
import { models } from './models.ts';
import { plans } from './plans.ts';
import { questions } from './questions.ts';
import { targets } from './release.ts';
import { released } from './released.ts';
import { shaping } from './shaping.ts';
import { storage } from './storage.ts';

/** Everything that the server can be asked, by subject. */
export const api = {
  models,
  claims,
  questions,
  shaping,
  storage,
  intake,
  loads,
  plans,
  corrections,
  jobs,
  settings,
  databases,
  calendars,
  release,
  targets,
  released,
  events,
};

/** All endpoints with their names, such as `models.edit`. */
export const ENDPOINTS: readonly (readonly [name: string, endpoint: AnyEndpoint])[] = Object.entries(
  api,
).flatMap(([subject, all]) =>
  Object.entries<AnyEndpoint>(all).map(([name, one]) => [`${subject}.${name}`, one] as const),
);
