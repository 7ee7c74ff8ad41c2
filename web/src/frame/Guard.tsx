import { Component } from 'react';
import type { ReactNode } from 'react';

interface Props {
  /** What is shown here, as it is called on the screen. */
  readonly what: string;
  readonly children: ReactNode;
}

/**
 * Keeps a fault in one part of the screen from taking the rest with it: says what failed, and offers to try
 * again.
 */
export class Guard extends Component<Props, { failed: boolean; fault?: unknown }> {
  override state: { failed: boolean; fault?: unknown } = { failed: false };

  static getDerivedStateFromError(fault: unknown): { failed: boolean; fault: unknown } {
    return { failed: true, fault };
  }

  override render(): ReactNode {
    if (!this.state.failed) return this.props.children;
    return (
      <PartFailed
        what={this.props.what}
        reason={this.state.fault}
        onRetry={() => this.setState({ failed: false })}
      />
    );
  }
}

/** A part of the screen that has failed. */
export function PartFailed({
  what,
  reason,
  onRetry,
}: {
  what: string;
  reason: unknown;
  onRetry: () => void;
}) {
  const message =
    reason instanceof Error
      ? reason.message
      : String((reason as { statusText?: string } | undefined)?.statusText ?? reason);
  return (
    <section
      role="alert"
      className="m-4 border-l-4 border-vermilion bg-vermilion-wash px-3 py-2"
      data-failed={what}
    >
      <h2 className="text-[15px]">{what} cannot be shown</h2>
      <p className="whitespace-pre-line">{message}</p>
      <p className="mt-1 text-soft">Nothing that was saved is lost.</p>
      <button className="btn mt-2" onClick={onRetry}>
        Try again
      </button>
    </section>
  );
}
