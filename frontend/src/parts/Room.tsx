/** A part of the page that fails by itself: the others stay, with a sentence in its place and a way on. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { Component, type ReactNode } from "react";
import { InRoom, newRoom } from "../state/asked";
import { MADDER } from "../theme";

interface Props {
  /** What it is called in the sentence: "The rail". */
  name: string;
  /** What it shows: it is tried again once that is something else. */
  of: unknown;
  /** A way round what cannot be shown. */
  leave?: () => void;
  children: ReactNode;
}

export class Room extends Component<Props, { failed: boolean; of: unknown }> {
  override state = { failed: false, of: this.props.of };
  /** What is not known in it. */
  private readonly told = newRoom();

  static getDerivedStateFromError() {
    return { failed: true };
  }

  static getDerivedStateFromProps(props: Props, state: { failed: boolean; of: unknown }) {
    return props.of === state.of ? null : { failed: false, of: props.of };
  }

  override render() {
    if (!this.state.failed) return <InRoom value={this.told}>{this.props.children}</InRoom>;
    const { name, leave } = this.props;
    return (
      <Box role="alert" sx={{ p: 2, color: MADDER, maxWidth: 420 }}>
        {name} cannot be shown: a fault of ours. All else goes on, and nothing was changed.
        <Box sx={{ display: "flex", gap: 1, mt: 1 }}>
          <Button size="small" variant="outlined" onClick={() => this.setState({ failed: false })}>
            Try again
          </Button>
          {leave && (
            <Button size="small" onClick={leave}>
              Leave it
            </Button>
          )}
        </Box>
      </Box>
    );
  }
}
