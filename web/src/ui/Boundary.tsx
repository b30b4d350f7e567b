import { Component, type ReactNode } from "react";
import { Button } from "./Button";

interface Props {
  /** What stands here, in words. */
  place: string;
  children: ReactNode;
}

/** Keeps a fault of one place from blanking the others, and says what to do. */
export class Boundary extends Component<Props, { broken: boolean }> {
  state = { broken: false };

  static getDerivedStateFromError() {
    return { broken: true };
  }

  render() {
    if (!this.state.broken) return this.props.children;
    return (
      <div role="alert" className="m-4 max-w-md rounded-[3px] border border-madder p-3 text-[13px]">
        <p className="font-semibold">{this.props.place} could not be shown.</p>
        <p className="mt-1 text-soft">Work on the devices goes on. Nothing that was saved is lost. If it comes again, restart the server: its files may have changed.</p>
        <div className="mt-2 flex gap-2">
          <Button look="strong" onClick={() => location.reload()}>
            Load the page anew
          </Button>
          <Button onClick={() => this.setState({ broken: false })}>Try again</Button>
        </div>
      </div>
    );
  }
}
