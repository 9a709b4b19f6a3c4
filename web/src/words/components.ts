// What people read on the screens of `components`.
import type { Part } from './part'

export const labels = {
  cancel: 'Cancel',
  close: 'Close',
  thisCannotBeShown: 'This cannot be shown',
  whatWasSavedIsKept: (sentence: Part) => `${sentence} What was saved is kept.`,
  loadThePageAgain: 'Load the page again',
  aPartOfTheProgramCould:
    'A part of the program could not be fetched: the server is out of reach, or newer than this page.',
  somethingWentWrongOnThisPage: (message: Part) =>
    `Something went wrong on this page (${message}).`,
  mapsAndMeshesComeInEach:
    'Drop maps and meshes. Each map says what it is and why; uncertain ones are marked.',
  eachInputOfAMaterialIs:
    'Feed each input of a material from a channel of a map, and assign materials to slots.',
  thePackageIsReadBackAs:
    'Ektopos reads the package back as an engine would and compares every texel.',
  whatHappensNext: 'What happens next',
  workUnderWay: 'Work in progress',
  ektoposAllProjects: 'Ektopos: all projects',
  ektopos: 'ektopos',
  import: 'Import…',
  files: 'Files…',
  aFolder: 'A folder…',
  filesToImport: 'Files to import',
  folderToImport: 'Folder to import',
  picture: 'Picture',
  itCouldNotBeMade: (alt: Part) => `${alt}: it could not be made`,
  thisPictureCouldNotBeMade:
    'This picture could not be made. Load the page again. If that does not help, import the map again.',
  noPicture: 'no picture',
  dividerBetweenAnd: (words: Part, words2: Part, part: Part) =>
    `Divider between ${words} and ${words2}${part}`,
  step1: '1 · Drop a folder',
  step2: '2 · Feed and assign',
  step3: '3 · Export and test',
  theDatabaseIsBusyThis: 'The database is busy. This is tried again by itself …',
  theServerDoesNotAnswer: 'The server does not answer.',
  theServerAnswered: (status: Part) => `The server answered ${status}.`,
  isItRunning: 'Is it running?',
  waitingToBeMeasured: 'waiting to be measured',
  wordStopped: 'stopped',
  andMore: (path: Part, more: Part) => `${path} and ${more} more`,
  aMeasureOfTheMesh: 'a measure of the mesh could not be fetched.',
  wordBeginning: 'beginning',
  theBrowserKeepsThisPage:
    'The browser keeps this page from the clipboard. Mark the text and copy it.',
  dragOrAltWithAn: 'Drag, or Alt with an arrow key: another place in the order',
  aNumberSuchAs0: 'a number, such as 0.5 or 0,5',
  fromTo: (least: Part, most: Part) => `from ${least} to ${most}`,
  orMore: (least: Part) => `${least} or more`,
  orLess: (most: Part) => `${most} or less`,
} as const
