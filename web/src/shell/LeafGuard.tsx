import { Component, type ReactNode } from "react";
import { words } from "./words";

const say = words.leafGuard;

interface Props {
  leaf: string;
  children: ReactNode;
}

/** LeafGuard keeps a fault in one leaf from taking the others away. */
export class LeafGuard extends Component<Props, { failed: boolean }> {
  state = { failed: false };

  static getDerivedStateFromError() {
    return { failed: true };
  }

  render() {
    if (!this.state.failed) return this.props.children;
    return (
      <div role="alert" className="p-6">
        <p className="mb-3">{say.couldNotBeDrawn(this.props.leaf)}</p>
        <button type="button" className="button" onClick={() => this.setState({ failed: false })}>
          {say.drawItAgain}
        </button>
      </div>
    );
  }
}
