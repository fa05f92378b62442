import { plural } from "./plural";

/** Every string of the model, by the file that shows it. */
export const words = {
  api: {
    theServerDoesNotAnswer: "The server does not answer",
    theServerDoesNotAnswerTry: "The server does not answer. Try again when it is back.",
    theServerDoesNotAnswerStop:
      "The server does not answer, so it is not known whether this was done. Once it is back, you see what was saved.",
  },
  balance: {
    notHeard: (not: string) => ` Not heard: ${not}.`,
    asLoudAsBefore: (some: string) => `, ${some}as loud as before`,
    itWas: (reason: string) => ` It was ${reason}.`,
    rowsHeard: (heard: number, kept: string, was: string, not: string) =>
      `${plural(heard, "row")} heard${kept}.${was}${not}`,
    theLevelOfRows: (rows: number) => `The level of ${plural(rows, "row")} is trimmed.`,
    sendsAndPansSuit: "Sends and pans suit the hall now.",
    groupsBalancedByStrength: (groups: number) => `${plural(groups, "group")} balanced by strength.`,
  },
  buskinds: {
    one: {
      group: "group",
      return: "return, fed by sends",
      stem: "stem",
      mix: "mix",
      print: "print",
      speakers: "speakers",
    },
    many: {
      group: "groups",
      return: "returns",
      stem: "stems",
      mix: "mixes",
      print: "prints",
      speakers: "speakers",
    },
  },
  catalogue: {
    itIsInTheOrchestra: "It is in the Orchestra.",
    areInTheOrchestra: (patches: number) => `${patches} are in the Orchestra.`,
  },
  changing: {
    laidOut: (to: string) => `Laid out ${to}.`,
    foundNoSeat: (unseated: number) => `${unseated} found no seat; they are listed with the reason.`,
    everyoneIsSeatedOnRisers: (risersUsed: number) => `Everyone is seated on ${plural(risersUsed, "riser")}.`,
    playsItsRecordingAndLoads: (printed: string) =>
      `${printed} plays its recording and loads nothing. “Play its patches again” undoes that.`,
    rowsPlayTheirRecordings: (printed: number) =>
      `${printed} rows play their recordings and load nothing. “Play its patches again” undoes that.`,
    savedAs: (name: string) => `Saved as ${name}.`,
  },
  deliveries: {
    versionWasPrintedSince: (newer: number) => `version ${newer} was printed since`,
    ofItsCuesWerePrinted: (newer: number) => `${newer} of its cues were printed again since`,
  },
  delivering: {
    youHearTheRecordedStems: "You hear the recorded stems.",
    youHearTheMix: "You hear the mix.",
    copiedRowsPasteHere: (ids: number) =>
      `Copied ${ids} ${ids === 1 ? "row" : "rows"}; paste here or in another template.`,
  },
  drift: {
    differences: (take: number) => plural(take, "difference"),
    theOrder: "the order",
    and: " and ",
    tookFromTheSession: (parts: string) => `Took ${parts} from the session.`,
    tooManyAreChosenChoose: "Too many are chosen: choose fewer, or none to correct all of them.",
    correctedDawproject: (file: string) => `${file}, corrected.dawproject`,
    theSessionIsCorrectedLeft: (left: string) => `The session is corrected. Left as it was: ${left}.`,
    theSessionIsCorrected: "The session is corrected.",
  },
  factors: {
    codesAtSign: "Codes at sign-in are off.",
    thisBrowserHasNoPasskeys: "This browser has no passkeys.",
    passkeysWorkAtHttpLocalhost: (port: string) =>
      `Passkeys work at http://localhost:${port}, not at a numeric address.`,
    passkeysWorkWhereTheServer: "Passkeys work where the server has a name, not at a numeric address.",
    passkeysWorkOverHttpsOnly: "Passkeys work over https only.",
    thisDeviceHasAPasskey: "This device has a passkey of yours already.",
    theDeviceGaveNoPasskey:
      "The device gave no passkey: it was cancelled, took too long, or there is none for this server.",
    noPasskey: "No passkey",
    aProgram: "a program",
  },
  film: {
    recutMid: (file: string) => `${file} recut.mid`,
    setCuesTo: (ids: number, status: string) => `Set ${ids} cues to ${status}`,
    cut: (cuts: number) => `Cut ${cuts}`,
    theCuesAreInTheNewCut: "The cues are in the new cut.",
    theCuesAreAsTheyWere: "The cues are as they were in that cut.",
    isReadyToBeSaved: (got: string) => `${got} is ready to be saved.`,
    theEditedFileIsReady: "The edited file is ready to be saved.",
  },
  hints: {
    rowsCannotLoad: (now: number) => `${plural(now, "row")} cannot load: they have no seat yet.`,
    openSeating: "Open Seating",
    selectAndPressC: (now: string) => `Select ${now} and press C: it loads. X rests it.`,
    selectIt: "Select it",
    theLineBelow: (name: string) => `The line below is the whole way of ${name}. Each word leads to its leaf.`,
    aRightClick: (now: string) => `A right click on ${now} has everything that can be done with it.`,
    ctrlKFindsAnythingBy: (last: string, last2: string) => `Ctrl K finds anything: ${last} by “${last2}”.`,
    shiftClickASpine: "Shift-click a spine to open its leaf beside this one.",
    marksToLookAtEach: (marks: number) =>
      `${plural(marks, "mark")} to look at, each with remedies: press the full stop.`,
    f1ExplainsTheLeaf: "F1 explains the leaf that you are in; ? lists all keys.",
  },
  hand: {
    translatedMid: (file: string) => `${file} translated.mid`,
  },
  history: {
    takenBackAsAChange: "Taken back, as a change of its own.",
    itIs: (revision: number) => `It is as it was at revision ${revision}. Undo brings the present back.`,
    isATemplate: (row: string) => `${row} is a template of its own.`,
    lockedNobodyCanChangeIt: "Locked: nobody can change it.",
    unlocked: "Unlocked.",
    differencesTakenAcross: (take: number) => `${plural(take, "difference")} taken across.`,
  },
  leaving: {
    thingsAreLeftOut: (left: number, left2: string) => `${plural(left, "thing is", "things are")} left out: ${left2}.`,
  },
  loudspeakers: {
    soundNeedsASecurePage: "Sound needs a secure page: open Fanfold on the server's own machine, or over https.",
  },
  members: {
    isNoLonger: (name: string) => `${name} is no longer in the studio.`,
    thePasswordIsChangedEverywhere: "The password is changed. Everywhere else you are signed out.",
    youAreSignedOutEverywhere: "You are signed out everywhere else.",
    theStudioIsKept: "The studio is kept.",
  },
  naming: {
    named: "Named.",
    replacedInTexts: (found: number) => `Replaced in ${plural(found, "text")}.`,
  },
  opening: {
    newTemplate: "New template",
    broughtIn: (row: string) => `Brought in ${row}.`,
  },
  order: {
    scoreOrder: "Score order",
    woodwindsBrassPercussionHarp: "woodwinds, brass, percussion, harp and keyboards, soloists, voices, strings",
    stageOrder: "Stage order",
    stringsInFrontTheChoir: "strings in front, the choir at the back, or as the sections' depth says",
    lowToHigh: "Low to high",
    byTheMiddle: "by the middle of the range",
    byRole: "By role",
    gathersTheRowsOfEach: "gathers the rows of each family into low and high, long and short",
    byRoleAllTogether: "By role, all together",
    theSameWithAllFamilies: "the same, with all families mixed",
    byLibrary: "By library",
    gathersRowsIntoASection: "gathers rows into a section for each library",
    byInstrument: "By instrument",
    gathersRowsIntoTheOrchestras: "gathers rows into the orchestra's usual sections",
    rowsMoved: (moved: number) => `${plural(moved, "row")} moved.`,
  },
  performing: {
    theConnectionWasLost: "The connection to the server was lost; open the music again.",
  },
  picture: {
    addAReelFirst: "Add a reel first.",
    theCue: "The cue",
    keeps: (cue: string, file: string) => `${cue} keeps ${file}.`,
  },
  printplayer: {
    theAudioDidNotArrive: "the audio did not arrive",
  },
  prints: {
    thereIsNoDrawing: "there is no drawing of this file",
  },
  seating: {
    rowsWithoutASeat: "rows without a seat",
    seatsThatMove: "seats that move",
    risersInUse: "risers in use",
    wishesNotMet: "wishes not met",
    outputPairsInUse: "output pairs in use",
    unevennessOfTheRisers: "unevenness of the risers",
    seatedByThePlan: "Seated by the plan.",
  },
  sending: {
    theServerDoesNotAnswer: "the server does not answer",
  },
  sight: {
    kept: (line: string) => `Kept ${line}.`,
    thereIsASightline: "There is a sightline for each already.",
    made: (made: string) => `Made ${made}.`,
    madeSightlinesVGoes: (made: number) => `Made ${made} sightlines: V goes on to the next.`,
    while: (name: string, state: string) => `${name} (while ${state})`,
    showsAlong: (name: string, names: string) => `${name} shows along ${names}.`,
    showsAlongNoSightline: (name: string) => `${name} shows along no sightline.`,
  },
  sounding: {
    theConnectionWasLost: "The connection to the machines was lost; arm the rows again.",
    notReadyCallItFirst: "not ready. Call it first.",
    noLongerSoundsItMay: (lost: string) => `${lost} no longer sounds; it may be away.`,
    thereWereGapsSamplesDid: "There were gaps: samples did not come from the disk in time.",
    tooManyVoicesTheOldest: "Too many voices: the oldest were stopped.",
    theBrowserDoesNotAllow: "The browser does not allow MIDI keyboards here; change that in its settings.",
    aKeyboard: "a keyboard",
    noMidiKeyboardIsConnected: "No MIDI keyboard is connected; connect one and try again.",
  },
  template: {
    kinds: { sampled: "sampled", input: "input", guide: "guide", spare: "spare", divider: "divider" },
    middle: "middle",
    left: "left",
    right: "right",
  },
  templates: {
    lastChanged: "last changed",
    name: "name",
    size: "size",
    isDeletedItCan: (name: string) => `${name} is deleted. It can be brought back for thirty days, in All templates.`,
  },
};
