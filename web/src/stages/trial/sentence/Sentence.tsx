import { lazy, Suspense, useState } from 'react';
import { PencilLine } from 'lucide-react';
import { IconButton } from '../../../parts/IconButton.tsx';
import { AnswerParts } from './AnswerParts.tsx';
import type { QuestionProps } from './QuestionParts.tsx';
import { QuestionParts } from './QuestionParts.tsx';

const WrittenQuestion = lazy(() => import('./WrittenQuestion.tsx'));

/** The question as a sentence: show … by … where …; part by part, or written with completion. */
export function Sentence(props: QuestionProps) {
  const [isWriting, setIsWriting] = useState(false);
  const { query, onAsk } = props;
  return (
    <div
      className="flex flex-wrap items-center gap-x-2 gap-y-2 border-b border-rule px-4 py-3 font-serif text-[15px]"
      aria-label="The question"
    >
      {isWriting ? (
        <Suspense fallback={<span className="text-soft">…</span>}>
          <WrittenQuestion query={query} onAsk={onAsk} onDone={() => setIsWriting(false)} />
        </Suspense>
      ) : (
        <>
          <QuestionParts {...props} />
          <AnswerParts query={query} onAsk={onAsk} />
          <span className="ml-auto">
            <IconButton label="Write the question" onClick={() => setIsWriting(true)}>
              <PencilLine size={14} aria-hidden />
            </IconButton>
          </span>
        </>
      )}
    </div>
  );
}
