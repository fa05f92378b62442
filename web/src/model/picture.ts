import { createStore, useStore } from "zustand";
import { answer, api, fileBody, type Id, type Schemas } from "./api";
import { type Cue, called, type Film, films, type Reel, spanOf } from "./film";
import { loudspeakers } from "./loudspeakers";
import { handOfParts, listen } from "./music";
import { closeScore, openScore, performing, playFrom, rest } from "./performing";
import { attempt, remember, remembered, set, tell } from "./store";
import { counted, secondsOf } from "./timecode";
import { words } from "./words";

const say = words.picture;

/** Picture is how the picture plays. */
export interface Picture {
  open: boolean;
  large: boolean;
  playing: boolean;
  click: boolean; // is heard
  sound: boolean; // the film's own is heard
  level: number; // of the film's own sound, 0..1
  music: Id | null; // the cue whose music plays with it
  beside: Id | null; // another cut, to be compared
}

export const picture = createStore<Picture>(() => ({
  open: remembered("picture", true),
  large: remembered("picture-large", false),
  playing: false,
  click: remembered("picture-click", true),
  sound: remembered("picture-sound", true),
  level: remembered("picture-level", 0.6),
  music: null,
  beside: null,
}));

export const usePicture = <T>(pick: (s: Picture) => T): T => useStore(picture, pick);

/** choose sets how the picture plays, and remembers it. */
export function choose(to: Partial<Pick<Picture, "open" | "large" | "click" | "sound" | "level">>) {
  picture.setState(to);
  for (const [key, value] of Object.entries(to)) remember(key === "open" ? "picture" : `picture-${key}`, value);
  if (to.open === false) stop();
  if (to.click === false) quiet();
  if (to.click && picture.getState().playing) last = Number.NEGATIVE_INFINITY;
}

/** reelAt is the reel that a frame lies in; that of the chosen cue where several do. */
export function reelAt(film: Film, at: number | null): Reel | undefined {
  const { chosen } = films.getState();
  const mine = film.cues.find((c) => chosen.has(c.id))?.reel;
  const holds = (r: Reel) => at !== null && at >= r.start && at < Math.max(spanOf(film, r).end, r.start + 1);
  return film.reels.find((r) => r.id === mine && (at === null || holds(r))) ?? film.reels.find(holds) ?? film.reels[0];
}

/** frameShown is the frame that the picture shows: of the playhead, or of the chosen cue. */
export function frameShown(film: Film, of: Reel, at: number | null): number {
  const { chosen } = films.getState();
  return at ?? film.cues.find((c) => chosen.has(c.id) && c.reel === of.id)?.start ?? of.start;
}

/** filmOf is the film of a reel in a cut. */
export const filmOf = (film: Film, cut: Id, reel: Id): Schemas["Film"] | undefined =>
  film.cuts.find((c) => c.id === cut)?.films[reel];

// The clock: the frame that shows is computed from a moment at which it was known.
let anchor = { frame: 0, at: 0 };
let rate = 25; // frames a second
let reel: Reel | undefined;
let end = 0;
let going = 0; // the request of the next look
let last = Number.NEGATIVE_INFINITY; // when the click was last looked after, ms

const shown = () => anchor.frame + ((performance.now() - anchor.at) / 1000) * rate;

/** right brings the clock to a frame that was measured: at once where it is far off. */
function right(frame: number) {
  const off = frame - shown();
  if (Math.abs(off) > 2) anchor = { frame, at: performance.now() };
  else anchor.frame += off * 0.1;
}

// The element that plays the film, while there is one.
let element: HTMLVideoElement | null = null;
let starts = 0; // the frame of its first

/** attach says which element plays the film, and on which frame it begins. */
export function attach(to: HTMLVideoElement | null, from: number) {
  element = to;
  starts = from;
}

/** show puts the playhead on a frame; what plays goes on there. */
export function showAt(frame: number) {
  films.setState({ at: frame });
  if (picture.getState().playing) void play();
}

/** toggle plays, or stops where it is. */
export const toggle = () => (picture.getState().playing ? stop() : void play());

let tries = 0; // the number of what plays

/** play plays from the playhead on: the film, the click, and the music of a cue that was asked for. */
export async function play() {
  const { film, at } = films.getState();
  if (!film) return;
  const mine = ++tries;
  reel = reelAt(film, at);
  if (!reel) return tell(say.addAReelFirst, "refused");
  const frame = film.settings.frame;
  rate = frame.num / frame.den;
  end = spanOf(film, reel).end;
  let from = frameShown(film, reel, at);
  if (from >= end - 1) from = reel.start;
  quiet();
  picture.setState({ playing: true });
  films.setState({ at: from });
  const withMusic = beginMusic(film, from);
  if (element) {
    await seek(element, from);
    if (mine !== tries) return;
    await element.play().catch(() => undefined); // one that the browser cannot play stands still
  }
  if (withMusic && !(await musicBegins(from)) && mine === tries) return stop();
  if (mine !== tries) return;
  anchor = { frame: element && !withMusic ? frameIn(element) : from, at: performance.now() };
  last = Number.NEGATIVE_INFINITY;
  cancelAnimationFrame(going);
  going = requestAnimationFrame(look);
}

/** stop stops where it is. */
export function stop() {
  tries++;
  cancelAnimationFrame(going);
  quiet();
  element?.pause();
  if (picture.getState().music && performing.getState().state === "playing") rest();
  if (picture.getState().playing) picture.setState({ playing: false });
}

/** look sees to what is under way, once a picture of the screen. */
function look() {
  const { film } = films.getState();
  if (!film || !picture.getState().playing) return;
  const sounding = performing.getState();
  if (playsMusic()) {
    if (sounding.state !== "playing") return stop();
    if (sounding.second !== heardAt) {
      heardAt = sounding.second;
      right(musicFrom + sounding.second * rate);
    }
    if (element && Math.abs(frameIn(element) - shown()) > rate * 0.12) element.currentTime = secondIn(shown());
  } else if (element && !element.paused && element.readyState >= 3) right(frameIn(element));
  const at = Math.floor(shown() + 1e-3);
  if (at >= end) {
    films.setState({ at: end - 1 });
    return stop();
  }
  if (at !== films.getState().at) films.setState({ at });
  if (performance.now() - last > 250) {
    last = performance.now();
    void follow(film);
  }
  going = requestAnimationFrame(look);
}

// The film.

/** frameIn is the frame that an element shows, with its fraction. */
const frameIn = (v: HTMLVideoElement) => starts + v.currentTime * rate;

const secondIn = (frame: number) => Math.max(0, (frame + 0.5 - starts) / rate);

/** seek waits until an element shows a frame, or cannot. */
export function seek(v: HTMLVideoElement, frame: number): Promise<void> {
  const to = secondIn(frame);
  if (v.error || Math.abs(v.currentTime - to) < 0.25 / rate) return Promise.resolve();
  return new Promise((done) => {
    const over = setTimeout(done, 3000);
    v.addEventListener(
      "seeked",
      () => {
        clearTimeout(over);
        done();
      },
      { once: true },
    );
    v.currentTime = to;
  });
}

// The click: the file that the core makes for a cue, played from its place.

interface Click {
  key: string;
  begin: number; // the frame of its first sample
  end: number;
  sound: AudioBuffer | null; // null where it cannot be had
}

let source: AudioBufferSourceNode | null = null;
let clicking = { key: "", frame: 0, at: 0 }; // what is heard, and from where
const clicks = new Map<Id, Click>();

function quiet() {
  source?.stop();
  source?.disconnect();
  source = null;
  clicking = { key: "", frame: 0, at: 0 };
}

/** countIn is how long before a cue its click is made ready, s: more than any count-in. */
const countIn = 60;

/** cueAt is the cue whose click is heard at a frame: the last that has begun, or the next with its
 * count-in. */
function cueAt(film: Film, frame: number): Cue | undefined {
  const coming = film.cues.filter((c) => c.reel === reel?.id && frame < c.end).sort((a, b) => a.start - b.start);
  return coming.findLast((c) => frame >= c.start) ?? coming.find((c) => frame >= c.start - countIn * rate);
}

const keyOf = (film: Film, c: Cue) =>
  JSON.stringify([film.id, c.id, c.start, c.end, c.bar, c.tempi, c.metres, film.settings.rate, film.settings.rateHz]);

async function follow(film: Film) {
  if (!picture.getState().click) return;
  const cue = cueAt(film, shown());
  if (!cue) return quiet();
  const mine = tries;
  const speakers = await loudspeakers();
  const click = await clickOf(film, cue, speakers);
  if (!click?.sound || mine !== tries || !picture.getState().click || !picture.getState().playing) return;
  const now = shown();
  if (now < click.begin || now >= click.end) {
    if (clicking.key === click.key) quiet();
    return;
  }
  const due = (now - click.begin) / rate;
  if (clicking.key === click.key) {
    const heard = clicking.frame + (speakers.currentTime - clicking.at);
    if (Math.abs(heard - due) < 0.03) return;
  }
  quiet();
  const late = speakers.outputLatency || 0;
  source = new AudioBufferSourceNode(speakers, { buffer: click.sound });
  source.connect(speakers.destination);
  source.start(0, Math.min(click.sound.duration, due + late));
  clicking = { key: click.key, frame: due, at: speakers.currentTime };
}

async function clickOf(film: Film, cue: Cue, speakers: AudioContext): Promise<Click | null> {
  const key = keyOf(film, cue);
  const known = clicks.get(cue.id);
  if (known?.key === key) return known;
  const path = { params: { path: { id: film.id, cue: cue.id } } };
  const [bars, data] = await Promise.all([
    answer(api.GET("/api/productions/{id}/cues/{cue}/bars", path)),
    answer(api.GET("/api/productions/{id}/cues/{cue}/click", { ...path, parseAs: "arrayBuffer" })),
  ]).catch(() => [null, null] as const);
  const first = bars?.[0]?.beats[0];
  if (!data || first === undefined) return null;
  const sound = await speakers.decodeAudioData(data as unknown as ArrayBuffer).catch(() => null);
  const click = { key, begin: first, end: cue.end, sound };
  clicks.set(cue.id, click);
  if (clicks.size > 20) clicks.delete(clicks.keys().next().value!);
  return click;
}

// The music of a cue, which the stand-ins play through the template that is open.

let musicFrom = 0; // the frame on which its first bar begins
let heardAt = -1; // the second that was heard last

const playsMusic = () => picture.getState().music !== null && performing.getState().file !== null;

/** hearMusic opens the music that a cue keeps, to be played with the picture; null puts it away. */
export async function hearMusic(cue: Cue | null) {
  stop();
  if (!cue?.music) {
    if (picture.getState().music) closeScore();
    picture.setState({ music: null });
    return;
  }
  const path = { params: { path: { id: films.getState().film!.id, cue: cue.id } } };
  const got = await attempt(async () => {
    const file = await fileOf(cue);
    const bars = await answer(api.GET("/api/productions/{id}/cues/{cue}/bars", path));
    const named = cue.hand ? (await listen({ file, hand: {} })).parts : [];
    return { file, hand: handOfParts(cue.hand, named), first: bars[0]?.beats[0] ?? cue.start };
  });
  if (!got) return;
  musicFrom = got.first;
  await openScore(got.file, got.hand);
  picture.setState({ music: cue.id });
  films.setState({ at: cue.start });
}

/** beginMusic begins the music where the playhead stands, if some was asked for. */
function beginMusic(film: Film, from: number): boolean {
  const { music } = picture.getState();
  const cue = film.cues.find((c) => c.id === music);
  if (!cue || performing.getState().file === null) {
    if (music) picture.setState({ music: null });
    return false;
  }
  const second = (from - musicFrom) / rate;
  const { piece } = performing.getState();
  if (!piece || second < 0 || second >= piece.seconds || cue.reel !== reel?.id) return false;
  heardAt = -1;
  playFrom(second);
  return true;
}

/** musicBegins waits until the music is heard; false where it is refused. */
function musicBegins(from: number): Promise<boolean> {
  const second = (from - musicFrom) / rate;
  return new Promise((done) => {
    const off = performing.subscribe((s) => {
      if (s.state === "playing" && s.second <= second) return;
      off();
      done(s.state === "playing");
    });
  });
}

/** fileOf is the music that a cue keeps. */
async function fileOf(cue: Cue): Promise<File> {
  const path = { params: { path: { id: films.getState().film!.id, cue: cue.id } } };
  const data = await answer(api.GET("/api/productions/{id}/cues/{cue}/music", { ...path, parseAs: "blob" }));
  return new File([data as unknown as Blob], cue.music!.file);
}

/** withMusic opens a dialog that reads music, with that of a cue. */
export async function withMusic(cue: Cue, dialog: "music" | "by-bar") {
  const file = await attempt(() => fileOf(cue));
  if (file) set({ cueMusic: { cue: cue.id, file }, dialog });
}

/** keepMusic gives a cue its music: a MIDI or MusicXML file. */
export async function keepMusic(cue: Cue, file: File) {
  const done = await attempt(() =>
    answer(
      api.PUT("/api/productions/{id}/cues/{cue}/music", {
        params: { path: { id: films.getState().film!.id, cue: cue.id }, query: { name: file.name } },
        ...fileBody(file),
      }),
    ),
  );
  if (done) tell(say.keeps(called(cue) || say.theCue, file.name));
}

/** takeMusicTime gives a cue the tempo and the metre of the music that it keeps. */
export const takeMusicTime = (cue: Cue) =>
  attempt(() =>
    answer(
      api.POST("/api/productions/{id}/cues/{cue}/music/time", {
        params: { path: { id: films.getState().film!.id, cue: cue.id } },
      }),
    ),
  );

/** chooseFilm gives a reel of a cut its film; without a file, takes it away. */
export async function chooseFilm(cut: Id, of: Id, ask: Schemas["FilmAsk"] | null) {
  stop();
  const path = { params: { path: { id: films.getState().film!.id, cut, reel: of } } };
  return attempt(() =>
    ask
      ? answer(api.PUT("/api/productions/{id}/cuts/{cut}/films/{reel}", { ...path, body: ask }))
      : answer(api.DELETE("/api/productions/{id}/cuts/{cut}/films/{reel}", path)),
  );
}

/** goBy moves the playhead by frames, within its reel. */
export function goBy(frames: number) {
  const { film, at } = films.getState();
  const r = film && reelAt(film, at);
  if (!film || !r) return;
  const to = Math.min(spanOf(film, r).end - 1, Math.max(r.start, frameShown(film, r, at) + frames));
  showAt(to);
}

/** secondsBetween is how long it is from one frame to another. */
export const secondsBetween = (film: Film, from: number, to: number) => secondsOf(film.settings.frame, to - from);

/** aSecond is how many frames timecode counts in one. */
export const aSecond = (film: Film) => counted(film.settings.frame);
