import type { ClaimKind } from '../claim.ts';
import { bridgeWeights } from './bridgeWeights.ts';
import { calendarContinuous, calendarCovers } from './calendars.ts';
import { cardinality } from './cardinality.ts';
import { correctionsFit } from './correctionsFit.ts';
import { fileRead } from './fileRead.ts';
import { formulaValid } from './formulaValid.ts';
import { keyFilled } from './keyFilled.ts';
import { keyUnique } from './keyUnique.ts';
import { knownAnswer } from './knownAnswer.ts';
import { labelUnique } from './labelUnique.ts';
import { levelFilled } from './levelFilled.ts';
import { levelSingleParent } from './levelSingleParent.ts';
import { measureName } from './measureName.ts';
import { missingSide } from './missingSide.ts';
import { notAQuantity } from './notAQuantity.ts';
import { budgetKept } from './budgetKept.ts';
import { partitionCovers } from './partitionCovers.ts';
import { pathAcyclic } from './pathAcyclic.ts';
import { pathSingle } from './pathSingle.ts';
import { measureReach } from './measureReach.ts';
import { perspectiveClosed } from './perspectiveClosed.ts';
import { referenceComplete } from './referenceComplete.ts';
import { referenceFilled } from './referenceFilled.ts';
import { referenceType } from './referenceType.ts';
import { snapshotMeasure } from './snapshotMeasure.ts';
import { treeAcyclic, treeLabelUnique, treeParentKnown } from './trees.ts';
import { typeHolds } from './typeHolds.ts';
import { validityDisjoint } from './validityDisjoint.ts';

/** All kinds, in the order in which claims are listed. A new kind is one file and one entry here. */
export const CLAIM_KINDS: readonly ClaimKind[] = [
  formulaValid,
  measureName,
  referenceType,
  pathSingle,
  pathAcyclic,
  snapshotMeasure,
  missingSide,
  measureReach,
  perspectiveClosed,
  fileRead,
  typeHolds,
  keyUnique,
  keyFilled,
  referenceComplete,
  referenceFilled,
  cardinality,
  notAQuantity,
  labelUnique,
  levelSingleParent,
  levelFilled,
  treeAcyclic,
  treeParentKnown,
  treeLabelUnique,
  calendarContinuous,
  calendarCovers,
  validityDisjoint,
  bridgeWeights,
  partitionCovers,
  correctionsFit,
  budgetKept,
  knownAnswer,
];
