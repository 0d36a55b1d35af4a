/** Says in passing what was done, and takes it back where that can be. */
import { Alert, Button, Snackbar } from '@mui/material';
import { useMutation, useQueryClient } from '@tanstack/react-query';
import { type ReactNode, createContext, use, useState } from 'react';

interface Toast {
  /** Each has its own time, also one that comes while another is shown. */
  key: number;
  text: string;
  undo?: () => Promise<unknown>;
}
type Say = (text: string, undo?: () => Promise<unknown>) => void;

const Context = createContext<Say>(() => undefined);

/** Says something in passing; with a way to take it back, a button offers that for a while. */
export const useToast = (): Say => use(Context);

const SHOWN_MS = 10_000;
/** Who may take it back has to read it, and to decide. */
const TO_UNDO_MS = 20_000;

export function Toasts({ children }: { children: ReactNode }) {
  const [toast, setToast] = useState<Toast | null>(null);
  const queries = useQueryClient();
  const undo = useMutation({
    mutationFn: async () => toast?.undo?.(),
    onSuccess: async () => {
      say('It is as it was before.');
      await queries.invalidateQueries();
    },
  });
  const say: Say = (text, back) => {
    undo.reset();
    setToast((before) => ({ key: (before?.key ?? 0) + 1, text, ...(back && { undo: back }) }));
  };
  return (
    <Context value={say}>
      {children}
      <Snackbar
        key={toast?.key}
        open={toast !== null}
        autoHideDuration={undo.isError ? null : toast?.undo ? TO_UNDO_MS : SHOWN_MS}
        onClose={(_, reason) => {
          if (reason !== 'clickaway') setToast(null);
        }}
        anchorOrigin={{ vertical: 'bottom', horizontal: 'center' }}
      >
        <Alert
          severity={undo.isError ? 'error' : 'success'}
          variant="outlined"
          icon={false}
          onClose={() => setToast(null)}
          sx={{ bgcolor: 'background.paper', alignItems: 'center' }}
          action={
            toast?.undo && !undo.isError ? (
              <Button loading={undo.isPending} onClick={() => undo.mutate()}>
                Undo
              </Button>
            ) : undefined
          }
        >
          {undo.isError ? `It cannot be taken back: ${undo.error.message}` : toast?.text}
        </Alert>
      </Snackbar>
    </Context>
  );
}
