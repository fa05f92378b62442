import { Component, type ReactNode } from "react";

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
        <p className="mb-3">
          {this.props.leaf} could not be drawn. This is a fault in Fanfold; nothing of the template is lost.
        </p>
        <button type="button" className="button" onClick={() => this.setState({ failed: false })}>
          Draw it again
        </button>
      </div>
    );
  }
}
